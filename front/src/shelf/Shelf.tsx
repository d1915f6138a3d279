import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, told } from "../api/client";
import { RuleCards, RuleSettings } from "./LineRules";
import { NumberField, Readings, sayProblem, Section } from "../ui/Readings";
import { figure, length, metres, useUnit } from "../ui/units";

type Entry = { id: number; version: number; name: string } & Record<string, string | number>;
type Field = { name: string; label: string; why: string; kind: "length" | "plain"; suffix?: string; decimals?: number };

const KINDS: { kind: "stock" | "roll" | "printer" | "laminator" | "cutter" | "mark_set" | "ink_colour"; title: string; fields: Field[] }[] = [
  {
    kind: "stock",
    title: "Stocks",
    fields: [
      { name: "width_mm", label: "Width", why: "Across the feed.", kind: "length", decimals: 0 },
      { name: "price_m2", label: "Price of a square metre", why: "What the shop pays.", kind: "plain", decimals: 2 },
      { name: "tolerance_mm", label: "Tolerance", why: "How far a cut may miss before the Bench says check.", kind: "length", decimals: 2 },
    ],
  },
  { kind: "roll", title: "Rolls", fields: [{ name: "remaining_mm", label: "Left on it", why: "Measure it when you doubt it.", kind: "length", decimals: 0 }] },
  { kind: "printer", title: "Printers", fields: [{ name: "print_width_mm", label: "Prints across", why: "The widest print; nothing of a run is laid wider.", kind: "length", decimals: 0 }] },
  { kind: "laminator", title: "Laminators", fields: [{ name: "film_width_mm", label: "Width of the film", why: "Film covers the marks too; nothing of a run is laid wider.", kind: "length", decimals: 0 }] },
  {
    kind: "cutter",
    title: "Cutters",
    fields: [
      { name: "reach_across_mm", label: "Reads across", why: "The largest distance of marks across the feed.", kind: "length", decimals: 0 },
      { name: "reach_along_mm", label: "Reads along", why: "The largest distance of marks along the feed.", kind: "length", decimals: 0 },
    ],
  },
  {
    kind: "ink_colour",
    title: "Colours",
    fields: ["cyan", "magenta", "yellow", "black"].map((ink) => ({ name: ink, label: ink[0]?.toUpperCase() + ink.slice(1), why: "Percent of this ink where the colour is full.", kind: "plain", suffix: "%", decimals: 0 })),
  },
  {
    kind: "mark_set",
    title: "Mark sets",
    fields: [
      { name: "diameter_mm", label: "Diameter of a disc", why: "Larger is found more surely.", kind: "length" },
      { name: "clear_mm", label: "Clear zone", why: "Free of print round every mark.", kind: "length" },
      { name: "spacing_mm", label: "Along the sides, at most", why: "Marks between the corners show a bow.", kind: "length", decimals: 0 },
      { name: "head_margin_mm", label: "Head margin", why: "For the rollers of the cutter.", kind: "length", decimals: 2 },
      { name: "tail_margin_mm", label: "Tail margin", why: "For the rollers of the cutter.", kind: "length", decimals: 2 },
    ],
  },
];

export default function Shelf() {
  const { data: shelf, error } = useQuery({ queryKey: ["shelf"], queryFn: () => told(api.GET("/api/shelf")) });
  const [chosen, choose] = useState<{ kind: string; id: number } | null>(null);
  const queries = useQueryClient();
  const add = useMutation({
    mutationFn: (held: Entry[]) => {
      const names = new Set(held.map((row) => row.name));
      let number = held.length + 1;
      while (names.has(`Shop colour ${number}`)) number += 1;
      return told(api.POST("/api/shelf/colours", { body: { name: `Shop colour ${number}`, cyan: 0, magenta: 0, yellow: 0, black: 100 } }));
    },
    onSuccess: (fresh) => {
      queries.setQueryData(["shelf"], fresh);
      choose({ kind: "ink_colour", id: Number(fresh.ink_colour[fresh.ink_colour.length - 1]?.id) });
    },
    onError: sayProblem,
  });
  if (error) return <main className="flex-1 p-6">{error.message}</main>;
  if (!shelf) return <main className="flex-1" />;
  const rows = (kind: (typeof KINDS)[number]["kind"]) => shelf[kind] as unknown as Entry[];
  const open = KINDS.find(({ kind }) => kind === chosen?.kind) ?? KINDS[0];
  const rule = chosen?.kind === "rule" ? chosen.id : null;
  const entry = rule === null && open && (rows(open.kind).find((row) => row.id === chosen?.id) ?? rows(open.kind)[0]);
  return (
    <>
      <main className="min-w-0 flex-1 overflow-y-auto p-6 pt-5" aria-label="Shelf">
        {KINDS.map(({ kind, title }) => (
          <section key={kind} className="mb-6">
            <h2 className="mb-2.5 flex items-center gap-4">
              {title}
              {kind === "ink_colour" && (
                <button type="button" className="text-[13px] font-semibold text-pine hover:underline" onClick={() => add.mutate(rows(kind))}>
                  Add a colour
                </button>
              )}
            </h2>
            {rows(kind).length === 0 && <p className="text-slate">None yet. Named colours of customers' art can be printed as a colour of the shop's own.</p>}
            <div className="grid grid-cols-4 gap-3">
              {rows(kind).map((row) => (
                <button
                  type="button"
                  key={row.id}
                  aria-pressed={entry && entry.id === row.id && open?.kind === kind ? true : false}
                  onClick={() => choose({ kind, id: row.id })}
                  className={`flex h-[84px] items-center gap-3 rounded-[7px] border bg-paper px-3 text-left ${entry && entry.id === row.id && open?.kind === kind ? "border-2 border-pine" : "border-rule hover:border-slate"}`}
                >
                  <Picture kind={kind} row={row} />
                  <span className="min-w-0">
                    <span className="block leading-4 font-semibold">{row.name}</span>
                    <span className="mt-1 block text-[12px] text-slate">
                      <Words kind={kind} row={row} />
                    </span>
                  </span>
                </button>
              ))}
            </div>
          </section>
        ))}
        <RuleCards chosen={rule} choose={(index) => choose({ kind: "rule", id: index })} />
      </main>
      <Readings label="Readings">
        {rule !== null ? <RuleSettings index={rule} choose={(index) => choose(index === null ? null : { kind: "rule", id: index })} /> : open && entry ? <Settings key={`${open.kind}${entry.id}`} kind={open.kind} fields={open.fields} entry={entry} /> : <p>Choose something on the Shelf.</p>}
      </Readings>
    </>
  );
}

function Words({ kind, row }: { kind: string; row: Entry }) {
  const unit = useUnit((state) => state.unit);
  const size = (name: string, decimals = 0) => `${length(Number(row[name]), unit, decimals)} ${unit}`;
  if (kind === "stock") return <>{size("width_mm")} wide · {figure(Number(row.price_m2), 2)} {row.currency} a m²</>;
  if (kind === "roll") return <>{metres(Number(row.remaining_mm))} of {metres(Number(row.length_mm))} left</>;
  if (kind === "printer") return <>prints {size("print_width_mm")} across</>;
  if (kind === "laminator") return <>film of {size("film_width_mm")}</>;
  if (kind === "cutter") return <>reads {size("reach_across_mm")} × {size("reach_along_mm")}</>;
  if (kind === "ink_colour") return <>{["cyan", "magenta", "yellow", "black"].map((ink) => figure(Number(row[ink]), 0)).join(" · ")} %</>;
  return <>disc, {size("clear_mm", 1)} kept clear</>;
}

function Picture({ kind, row }: { kind: string; row: Entry }) {
  const share = kind === "roll" ? Number(row.remaining_mm) / Number(row.length_mm) : 0.6;
  return (
    <svg width="46" height="46" viewBox="-23 -23 46 46" className="shrink-0" aria-hidden="true">
      {kind === "ink_colour" ? (
        <rect x="-18" y="-18" width="36" height="36" rx="4" fill={processColour(row)} stroke="var(--color-rule)" />
      ) : kind === "mark_set" ? (
        <>
          <circle r="20" fill="none" stroke="var(--color-rule)" strokeDasharray="3 3" />
          <circle r="10" fill="var(--color-ink)" />
        </>
      ) : kind === "printer" ? (
        <>
          <rect x="-21" y="-14" width="42" height="16" rx="3" fill="#E8E7DF" stroke="var(--color-rule)" />
          <path d="M-14 2H14L16 18H-16Z" fill="#fff" stroke="var(--color-rule)" />
          <path d="M-9 12H9M-8 7H8" stroke="var(--color-pine)" strokeWidth="2" />
        </>
      ) : kind === "laminator" ? (
        <>
          <circle cy="-8" r="8" fill="#F0EEE6" stroke="var(--color-rule)" />
          <circle cy="10" r="8" fill="#F0EEE6" stroke="var(--color-rule)" />
          <path d="M-21 1H21" stroke="var(--color-kraft)" strokeWidth="2.5" />
        </>
      ) : kind === "cutter" ? (
        <>
          <rect x="-21" y="-12" width="42" height="24" rx="3" fill="#E8E7DF" stroke="var(--color-rule)" />
          <path d="M-21 0H21" stroke="var(--color-slate)" strokeWidth="3" />
          <rect x="-4" y="-7" width="8" height="14" fill="var(--color-pine)" />
        </>
      ) : kind === "stock" ? (
        <path d="M-16 -18H16V18H-16Z M16 18L8 18L16 10Z" fill="#fff" stroke="var(--color-rule)" />
      ) : (
        <>
          <circle r={8 + 13 * Math.sqrt(Math.max(0.03, share))} fill="#F0EEE6" stroke="var(--color-rule)" />
          <circle r="5.5" fill="none" stroke="var(--color-kraft)" strokeWidth="3.4" />
        </>
      )}
    </svg>
  );
}

/** What the four inks look like on a screen, roughly. */
function processColour(row: Entry) {
  const level = (ink: string) => Math.round(255 * (1 - Number(row[ink]) / 100) * (1 - Number(row.black) / 100));
  return `rgb(${level("cyan")} ${level("magenta")} ${level("yellow")})`;
}

function Settings({ kind, fields, entry }: { kind: string; fields: Field[]; entry: Entry }) {
  const queries = useQueryClient();
  const save = useMutation({
    mutationFn: (changes: Record<string, number | string>) =>
      told(api.POST("/api/shelf/{kind}/{row_id}", { params: { path: { kind, row_id: entry.id } }, body: { version: entry.version, changes } })),
    onSuccess: (fresh) => {
      queries.setQueryData(["shelf"], fresh);
      void queries.invalidateQueries({ queryKey: ["floor"] });
      void queries.invalidateQueries({ queryKey: ["run"] });
    },
    onError: (error) => {
      sayProblem(error);
      void queries.invalidateQueries({ queryKey: ["shelf"] });
    },
  });
  const remove = useMutation({
    mutationFn: () => told(api.DELETE("/api/shelf/colours/{row_id}", { params: { path: { row_id: entry.id } } })),
    onSuccess: (fresh) => queries.setQueryData(["shelf"], fresh),
    onError: sayProblem,
  });
  return (
    <>
      {kind === "ink_colour" ? (
        <input
          aria-label="Name of the colour"
          key={entry.name}
          defaultValue={entry.name}
          maxLength={60}
          onBlur={(event) => event.target.value.trim() && event.target.value !== entry.name && save.mutate({ name: event.target.value.trim() })}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
          className="h-10 w-full rounded-[5px] border border-rule bg-white px-2.5 text-[18px] font-semibold"
        />
      ) : (
        <h1>{entry.name}</h1>
      )}
      <Section title="Settings">
        {fields.map((field) => (
          <div key={field.name} className="border-b border-rule py-2">
            <div className="mb-1 flex justify-between">
              <span>{field.label}</span>
            </div>
            <NumberField
              label={field.label}
              why={field.why}
              kind={field.kind}
              decimals={field.decimals ?? 1}
              value={Number(entry[field.name])}
              onChange={(value) => save.mutate({ [field.name]: field.name === "price_m2" ? String(value) : value })}
            />
            <p className="mt-1 text-[12px] text-slate">{field.why}</p>
          </div>
        ))}
      </Section>
      {kind === "ink_colour" && (
        <button type="button" className="mt-3 min-h-9 font-semibold text-pine hover:underline" onClick={() => remove.mutate()}>
          Take this colour off the Shelf
        </button>
      )}
    </>
  );
}
