import { useState } from "react";
import { useAsked, useShelf } from "../api/useShelf";
import { Action, TextButton } from "../ui/Button";
import { ChoiceRow, SeveralRow } from "../ui/Choice";
import { NumberField, TextField } from "../ui/Field";
import { RangeField } from "../ui/RangeField";
import { Section } from "../ui/Row";
import { length, useUnit } from "../ui/units";
import { MachineCare } from "./Care";
import { Places } from "./Places";
import { PrinterNames } from "./PrinterNames";
import { HolderDrawing } from "./HolderDrawing";
import { ProfileFacts } from "./Profiles";
import { RollLedger } from "./RollLedger";
import { type Entry, type Field, fieldsOf, isKnife, type Kind, type KINDS, type Value, valueOf } from "./fields";

type Props = { kind: (typeof KINDS)[number]; entry: Entry; opened: (id: number, kind?: Kind) => void; gone: () => void };

/** All that can be set of one thing of the Shelf, and what can be done with it as a whole. */
export function ThingSettings({ kind, entry, opened, gone }: Props) {
  const { shelf, change } = useShelf();
  const save = (changes: Record<string, Value>) => change.mutate({ kind: kind.kind, id: entry.id, changes });
  const note = valueOf(entry, "cannot_show");
  const part = isKnife(entry);
  const toolOf = "cutter_id" in entry ? shelf?.cutter.find(({ id }) => id === entry.cutter_id) : undefined;
  return (
    <>
      {kind.one && !part ? (
        <TextField
          large
          label={`Name of ${kind.one.replace(/^an? /, "the ")}`}
          value={entry.name}
          longest={kind.kind === "ink_colour" || kind.kind === "print_mode" ? 60 : 120}
          onChange={(name) => name.trim() && save({ name: name.trim() })}
        />
      ) : (
        <h1>{entry.name}</h1>
      )}
      {toolOf && <p className="mt-1 text-slate">In {toolOf.name}.</p>}
      {entry.away && <p className="mt-1 font-semibold text-check-text">Put away: it is not offered any more.</p>}
      {part && (
        <p className="mt-1 text-slate">It comes and goes with its printer. Its tool cards are its own, and the test cards set them.</p>
      )}
      {(kind.kind === "printer" || kind.kind === "cutter") && !part && <WhoItIs kind={kind.kind} entry={entry} />}
      {kind.kind === "roll" && <RollLedger roll={entry} />}
      {"play_mm" in entry && <HolderDrawing holder={entry} />}
      {kind.kind === "colour_profile" && <ProfileFacts profile={entry} />}
      {kind.fields.length > 0 && (
        <Section title="Settings">
          {fieldsOf(kind, entry).map((field) => (
            <Setting key={field.name} field={field} value={valueOf(entry, field.name)} save={(value) => save({ [field.name]: value })} />
          ))}
          {note && (
            <p className="py-2 text-check-text" role="note">
              {note}
            </p>
          )}
        </Section>
      )}
      {kind.kind === "stock" && <PrinterNames stock={entry} />}
      {(kind.kind === "printer" || kind.kind === "laminator" || kind.kind === "cutter") && !part && (
        <MachineCare kind={kind.kind} id={entry.id} />
      )}
      {kind.one && !part && <AsAWhole kind={kind} entry={entry} opened={opened} gone={gone} putAway={() => save({ away: !entry.away })} />}
    </>
  );
}

/** Duplicate, put away, delete: the last one cannot be undone and is asked once more. */
function AsAWhole({ kind, entry, opened, gone, putAway }: Props & { putAway: () => void }) {
  const { add, remove } = useShelf();
  const [asked, ask] = useState(false);
  const what = kind.one?.replace(/^an? /, "this ") ?? "";
  return (
    <Section title="As a whole">
      <TextButton onClick={() => add.mutate({ kind: kind.kind, like: entry.id }, { onSuccess: ({ id }) => opened(id) })}>
        Duplicate {what}
      </TextButton>
      {kind.kind === "stock" &&
        (["roll", "print_mode"] as const).map((of) => (
          <TextButton key={of} onClick={() => add.mutate({ kind: of, stock_id: entry.id }, { onSuccess: ({ id }) => opened(id, of) })}>
            Add {of === "roll" ? "a roll of it" : "a print mode on it"}
          </TextButton>
        ))}
      <TextButton onClick={putAway}>{entry.away ? `Take ${what} out again` : `Put ${what} away`}</TextButton>
      {asked ? (
        <div
          role="alertdialog"
          aria-label={`Delete ${entry.name}`}
          ref={intoView}
          className="scroll-mb-4 rounded-[6px] border-2 border-stop bg-white p-3"
        >
          <p className="mb-2">{entry.name} goes for good, with what belongs to it alone. This cannot be undone.</p>
          <div className="flex gap-2">
            <Action onClick={() => remove.mutate({ kind: kind.kind, id: entry.id }, { onSuccess: gone, onSettled: () => ask(false) })}>
              Delete it
            </Action>
            <Action onClick={() => ask(false)}>Keep it</Action>
          </div>
        </div>
      ) : (
        <TextButton onClick={() => ask(true)}>Delete {what}</TextButton>
      )}
    </Section>
  );
}

/** What asks for an answer is seen whole, wherever on the page it comes up. */
const intoView = (asking: HTMLElement | null) => asking?.scrollIntoView({ block: "nearest" });

/** Who answers at the address of a machine. */
function WhoItIs({ kind, entry }: { kind: "printer" | "cutter"; entry: Entry }) {
  const asked = useAsked(kind, entry.id);
  const unit = useUnit((state) => state.unit);
  const who = asked.data;
  if (!valueOf(entry, "address")) return <p className="mt-2 text-check-text">It has no address yet: say below how it is connected.</p>;
  return (
    <div className="mt-2.5">
      <Action onClick={() => asked.mutate()} disabled={asked.isPending}>
        {asked.isPending ? "Asking" : "Ask it who it is"}
      </Action>
      {asked.error && (
        <p role="status" aria-label="Who answers" className="mt-2 font-semibold text-stop">
          {asked.error.message}
        </p>
      )}
      {who && (
        <div role="status" aria-label="Who answers" className="mt-2 rounded-[6px] border border-rule bg-white p-3">
          <p className="font-semibold text-go">✓ {[who.make, who.model].filter(Boolean).join(" ") || "It answers"}</p>
          {kind === "cutter" && (
            <p>
              {who.understands.includes("OA")
                ? "It can say where its head is."
                : "It answers no question: what it has cut is only believed."}
            </p>
          )}
          {who.waits && <p className="text-check-text">It waits: {who.waits}.</p>}
          {who.loaded.map((one) => (
            <p key={one.name}>
              Holds {one.name}
              {one.width_mm !== null && `, ${length(one.width_mm, unit, 0)} ${unit} wide`}
            </p>
          ))}
        </div>
      )}
    </div>
  );
}

/** Another thing on the Shelf is chosen: of what is not put away, or what is chosen already. */
function ThingSetting({ field, value, save }: { field: Field & { kind: "thing" }; value: Value; save: (value: Value) => void }) {
  const { shelf } = useShelf();
  const there = (shelf?.[field.of] ?? []).filter(({ id, away }) => !away || id === value);
  const choices: [string, string][] = [["", field.none], ...there.map(({ id, name }): [string, string] => [String(id), name])];
  const chosen = (next: string) => save(next === "" ? null : Number(next));
  return <ChoiceRow label={field.label} why={field.why} value={String(value)} choices={choices} onChange={chosen} />;
}

function Setting({ field, value, save }: { field: Field; value: Value; save: (value: Value) => void }) {
  if (field.kind === "several") {
    return <SeveralRow {...field} value={Array.isArray(value) ? value.map(String) : []} onChange={save} />;
  }
  if (field.kind === "places") {
    const places = Array.isArray(value) ? value.map(Number) : [];
    return <Places label={field.label} one="Roller" why={field.why} value={places} save={save} />;
  }
  if (field.kind === "choice") {
    return <ChoiceRow label={field.label} why={field.why} value={String(value)} choices={field.choices} onChange={save} />;
  }
  if (field.kind === "range") {
    return <RangeField {...field} value={Array.isArray(value) ? value.map(Number) : []} save={save} />;
  }
  if (field.kind === "thing") return <ThingSetting field={field} value={value} save={save} />;
  if (field.kind === "yes") {
    const choices: ["true" | "false", string][] = [
      ["true", "yes"],
      ["false", "no"],
    ];
    const now = value === true ? "true" : "false";
    return <ChoiceRow label={field.label} why={field.why} value={now} choices={choices} onChange={(next) => save(next === "true")} />;
  }
  return (
    <div className="border-b border-rule py-2">
      <div className="mb-1">{field.label}</div>
      {field.kind === "words" ? (
        <TextField label={field.label} value={String(value)} onChange={save} />
      ) : (
        <NumberField
          label={field.label}
          why={field.why}
          kind={field.kind}
          suffix={field.suffix}
          points={field.points}
          decimals={field.decimals ?? 1}
          value={Number(value)}
          onChange={(next) => save(field.zero && next === 0 ? null : field.money ? String(next) : next)}
        />
      )}
      <p className="mt-1 text-[12px] text-slate">
        {field.why}
        {field.kind !== "words" && field.zero && ` 0: ${field.zero}.`}
      </p>
    </div>
  );
}
