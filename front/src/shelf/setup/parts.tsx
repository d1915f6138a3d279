import { type ReactNode, useState } from "react";
import { useAsked, useNearby, useShelf } from "../../api/useShelf";
import { Button } from "../../ui/Button";
import { NumberField, TextField } from "../../ui/Field";
import { length, useUnit } from "../../ui/units";
import type { Entry, Kind, Value } from "../fields";
import { rim } from "../../ui/look";

/** The questions about what stands at one place; several things there are chosen by name. */
export function Panel<T extends Entry>({
  rows,
  chosen,
  choose,
  words,
  more,
  children,
}: {
  rows: T[];
  chosen: T | undefined;
  choose: (id: number) => void;
  /** What is asked while there is none. */
  words: string;
  /** One more of it. */
  more?: { words: string; add: () => void };
  children: ReactNode;
}) {
  return (
    <section className="mt-4 rounded-[8px] border border-pine bg-paper p-5" aria-label={chosen?.name ?? words}>
      <div className="flex min-h-9 items-center gap-2">
        <h2 className="mr-auto">{rows.length > 1 ? "Which one?" : (chosen?.name ?? words)}</h2>
        {rows.length > 1 &&
          rows.map((row) => (
            <Button key={row.id} narrow aria-pressed={row.id === chosen?.id} onClick={() => choose(row.id)}>
              {row.name}
            </Button>
          ))}
        {more && chosen && (
          <Button narrow onClick={more.add}>
            {more.words}
          </Button>
        )}
      </div>
      {children}
    </section>
  );
}

/** One question with its answers as tiles, all to be seen. */
export function Question<T extends string>({
  title,
  answers,
  value,
  onChange,
}: {
  title: string;
  answers: readonly { value: T; title: string; words: string }[];
  value: T | null;
  onChange: (value: T) => void;
}) {
  return (
    <fieldset className="mt-4">
      <legend className="mb-2">{title}</legend>
      <div className="grid grid-cols-4 gap-2.5">
        {answers.map((one) => (
          <button
            key={one.value}
            type="button"
            aria-pressed={one.value === value}
            onClick={() => onChange(one.value)}
            className={`flex min-h-[62px] flex-col rounded-[7px] bg-white px-3 py-2.5 text-left border ${rim(one.value === value)}`}
          >
            <span className="font-semibold">{one.title}</span>
            <span className="text-[12px] text-slate">{one.words}</span>
          </button>
        ))}
      </div>
    </fieldset>
  );
}

function Labelled({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="w-[200px]">
      <div className="mb-1 text-[12px] text-slate">{label}</div>
      {children}
    </div>
  );
}

/** What the shop calls a thing. */
export function NameOf({ one, set }: { one: Entry; set: (changes: { name: string }) => void }) {
  return (
    <Labelled label="What you call it">
      <TextField label="What you call it" value={one.name} longest={120} onChange={(name) => name.trim() && set({ name: name.trim() })} />
    </Labelled>
  );
}

/** A length of it in whole millimetres. */
export function LengthOf({ label, value, least = 50, set }: { label: string; value: number; least?: number; set: (mm: number) => void }) {
  return (
    <Labelled label={label}>
      <NumberField label={label} why="" decimals={0} least={least} value={value} onChange={set} />
    </Labelled>
  );
}

/** Machines that announce themselves, or ports that are there: one press takes an address. */
export function Nearby({
  kind,
  schemes,
  take,
}: {
  kind: "printer" | "cutter";
  schemes: string[];
  take: (name: string, address: string) => void;
}) {
  const { data, isFetching, refetch } = useNearby();
  const found = (data ?? []).filter((one) => one.kind === kind && schemes.includes(one.address.split(":")[0] ?? ""));
  return (
    <div className="mt-3 flex flex-wrap items-center gap-2" role="group" aria-label="Found here">
      <span className="text-slate">{isFetching ? "Looking round" : found.length ? "Found here:" : "None announces itself here."}</span>
      {found.map((one) => (
        <Button key={one.address} narrow title={one.address} onClick={() => take(one.name, one.address)}>
          {one.name} {one.words && <span className="font-normal text-slate">{one.words}</span>}
        </Button>
      ))}
      {!isFetching && (
        <Button narrow onClick={() => void refetch()}>
          Look again
        </Button>
      )}
    </div>
  );
}

/** The address of a machine, and who answers there. */
export function AddressAndWho({ kind, entry, address, like }: { kind: "printer" | "cutter"; entry: Entry; address: string; like: string }) {
  const set = useSet(kind, entry);
  const asked = useAsked(kind, entry.id);
  const unit = useUnit((state) => state.unit);
  const who = asked.data;
  const first = who?.loaded[0];
  return (
    <div className="mt-3 flex flex-wrap items-end gap-2.5">
      <div className="w-[330px]">
        <div className="mb-1 text-[12px] text-slate">Its address, like {like}</div>
        <TextField label={`Address of ${entry.name}`} value={address} longest={300} onChange={(next) => set({ address: next })} />
      </div>
      <Button onClick={() => asked.mutate()} disabled={asked.isPending || !address}>
        {asked.isPending ? "Asking" : "Ask it who it is"}
      </Button>
      <p role="status" aria-label="Who answers" className="min-h-9 flex-1 basis-[240px] self-end py-1.5">
        {asked.error && <b className="font-semibold text-stop">{asked.error.message}</b>}
        {who && (
          <>
            <b className="font-semibold text-go">
              ✓ Found{who.model || who.make ? `: ${[who.make, who.model].filter(Boolean).join(" ")}` : ""}.
            </b>{" "}
            {kind === "cutter" &&
              (who.understands.includes("OA")
                ? "It can say where its head is."
                : "It answers no question: what it has cut is only believed.")}
            {first && `Holds ${first.name}${first.width_mm !== null ? `, ${length(first.width_mm, unit, 0)} ${unit} wide` : ""}.`}
            {who.waits && ` It waits: ${who.waits}.`}
          </>
        )}
      </p>
    </div>
  );
}

/** Sets values of a thing that is there. */
export function useSet(kind: Kind, entry: Entry | undefined) {
  const { change } = useShelf();
  return (changes: Record<string, Value>, reason = "") => {
    if (entry) change.mutate({ kind, id: entry.id, changes, reason });
  };
}

/** The things of a kind that are not put away, and the one in hand: a new one at once. */
export function useInHand<T extends Entry>(kind: Kind, rows: T[]) {
  const { add } = useShelf();
  const [id, choose] = useState<number | null>(null);
  const there = rows.filter((row) => !row.away);
  return {
    there,
    one: there.find((row) => row.id === id) ?? there[0],
    choose,
    /** Put one on; `then` is told its number. */
    put: (asked: { name?: string; preset?: string; stock_id?: number } = {}, then?: (id: number) => void) =>
      add.mutate(
        { kind, ...asked },
        {
          onSuccess: (made) => {
            choose(made.id);
            then?.(made.id);
          },
        },
      ),
  };
}
