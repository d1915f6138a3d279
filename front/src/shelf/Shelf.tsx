import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import { api, told } from "../api/client";
import { RuleCards, RuleSettings } from "./LineRules";
import { TestCardReading, TestCardTiles } from "./TestCards";
import { ChoiceRow, NumberField, Readings, sayProblem, Section } from "../ui/Readings";
import { figure, length, metres, useUnit } from "../ui/units";

type Entry = { id: number; version: number; name: string } & Record<string, string | number | boolean>;
type Field = { name: string; label: string; why: string } & ({ kind: "length" | "plain"; suffix?: string; decimals?: number; money?: boolean } | { kind: "choice"; choices: [string, string][] } | { kind: "yes" } | { kind: "words" });

const KINDS: { kind: "stock" | "roll" | "printer" | "print_mode" | "laminator" | "cutter" | "tool_card" | "mark_set" | "ink_colour"; title: string; fields: Field[] }[] = [
  {
    kind: "stock",
    title: "Stocks",
    fields: [
      { name: "width_mm", label: "Width", why: "Across the feed.", kind: "length", decimals: 0 },
      { name: "price_m2", label: "Price of a square metre", why: "What the shop pays.", kind: "plain", decimals: 2, money: true },
      { name: "ground", label: "Ground", why: "What shows where nothing is printed. On clear or dark stock marks and codes get a white patch of their own.", kind: "choice", choices: [["white", "white"], ["clear", "clear"], ["dark", "dark"]] },
      { name: "takes_film", label: "Film", why: "Stock that takes none goes from the printer to the cutter.", kind: "yes" },
      { name: "tolerance_mm", label: "Tolerance", why: "How far a cut may miss before the Bench says check.", kind: "length", decimals: 2 },
    ],
  },
  { kind: "roll", title: "Rolls", fields: [{ name: "remaining_mm", label: "Left on it", why: "Measure it when you doubt it.", kind: "length", decimals: 0 }] },
  {
    kind: "printer",
    title: "Printers",
    fields: [
      { name: "print_width_mm", label: "Prints across", why: "The widest print; nothing of a run is laid wider.", kind: "length", decimals: 0 },
      { name: "dpi", label: "Dots an inch", why: "Codes are made of whole dots.", kind: "plain", decimals: 0 },
      { name: "ink_price_ml", label: "Price of a millilitre of ink", why: "What the shop pays.", kind: "plain", decimals: 2, money: true },
      { name: "severs", label: "Cuts the sheet off", why: "Whether the printer severs every sheet after printing it.", kind: "yes" },
      { name: "has_knife", label: "Has a knife of its own", why: "It can cut what it prints, without marks.", kind: "yes" },
    ],
  },
  {
    kind: "print_mode",
    title: "Print modes",
    fields: [
      { name: "dpi", label: "Dots an inch", why: "What it lays down in this mode.", kind: "plain", decimals: 0 },
      { name: "passes", label: "Passes", why: "More passes hide the seams between bands and take longer.", kind: "plain", decimals: 0 },
      { name: "two_way", label: "Prints both ways", why: "Faster; one way is exacter.", kind: "yes" },
      { name: "m2_per_hour", label: "Square metres an hour", why: "Sets the time of a run.", kind: "plain", decimals: 1 },
      { name: "ink_ml_m2", label: "Ink on a square metre", why: "Millilitres of one ink where it is full.", kind: "plain", suffix: "ml", decimals: 1 },
      { name: "drying_minutes", label: "Dries before film", why: "Film on wet ink lifts.", kind: "plain", suffix: "min", decimals: 0 },
      { name: "profile", label: "Colour profile", why: "Its name on the printer, for this stock and mode.", kind: "words" },
    ],
  },
  {
    kind: "laminator",
    title: "Laminators",
    fields: [
      { name: "film_width_mm", label: "Width of the film", why: "Film covers the marks too; nothing of a run is laid wider.", kind: "length", decimals: 0 },
      { name: "film_price_m2", label: "Price of a square metre", why: "What the shop pays for the film.", kind: "plain", decimals: 2, money: true },
    ],
  },
  {
    kind: "cutter",
    title: "Cutters",
    fields: [
      { name: "reach_across_mm", label: "Reads across", why: "The largest distance of marks across the feed.", kind: "length", decimals: 0 },
      { name: "reach_along_mm", label: "Reads along", why: "The largest distance of marks along the feed.", kind: "length", decimals: 0 },
      { name: "holder", label: "In its holder", why: "What hands have put in last. Empty: it is asked before the next cut.", kind: "words" },
      { name: "edge_mm", label: "Marks from the edge", why: "It reads no mark whose middle is nearer to the edge of the stock.", kind: "length", decimals: 0 },
      { name: "profile", label: "Takes", why: "Steps of its language.", kind: "choice", choices: [["knife", "HP-GL, steps of 0.025 mm"], ["fine-knife", "HP-GL, steps of 0.01 mm"], ["arc-knife", "HP-GL, curves as arcs"]] },
      { name: "sensor_across_mm", label: "Camera beside the knife, across", why: "Found by a test card; + is to the right.", kind: "length", decimals: 2 },
      { name: "sensor_along_mm", label: "Camera beside the knife, along", why: "Found by a test card; + is away from the leading edge.", kind: "length", decimals: 2 },
      { name: "feed_percent", label: "Feed", why: "How far the media moves for what is told; found by a test card.", kind: "plain", suffix: "%", decimals: 3 },
    ],
  },
  {
    kind: "tool_card",
    title: "Tool cards",
    fields: [
      { name: "tool", label: "Tool", why: "What has to be in the holder. Another one than before is a stop.", kind: "words" },
      { name: "force_gf", label: "Force", why: "Found with the test card of this stock: the lightest at which a shape lifts by itself, well below what marks the liner. A new card begins light.", kind: "plain", suffix: "gf", decimals: 0 },
      { name: "speed_mm_s", label: "Speed", why: "Slower in thick stock.", kind: "plain", suffix: "mm/s", decimals: 0 },
      { name: "passes", label: "Passes", why: "How often every line is followed; heavy stock is creased twice.", kind: "plain", decimals: 0 },
      { name: "offset_mm", label: "Knife offset", why: "How far the tip of a drag knife trails its pivot, found with the test card; 0 for a tool that turns by itself.", kind: "length", decimals: 2 },
      { name: "overcut_mm", label: "Overcut", why: "How far a closed line goes on past its start.", kind: "length", decimals: 2 },
      { name: "deep_mm", label: "Perforation, deep", why: "Length of a deep span.", kind: "length", decimals: 1 },
      { name: "light_mm", label: "Perforation, light", why: "Length of a light span.", kind: "length", decimals: 1 },
      { name: "light_force_gf", label: "Force of light spans", why: "0: the tool is lifted there.", kind: "plain", suffix: "gf", decimals: 0 },
      { name: "tie_mm", label: "Ties in through cuts", why: "Length of the bridges that hold a piece; 0 for none.", kind: "length", decimals: 1 },
      { name: "tie_every_mm", label: "A tie about every", why: "Two at least in every closed line.", kind: "length", decimals: 0 },
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
      { name: "shape", label: "Shape", why: "Discs and rings for a camera, squares and corners for a line sensor.", kind: "choice", choices: [["disc", "disc"], ["square", "square"], ["corner", "corner angle"], ["cross", "cross"], ["ring", "ring"]] },
      { name: "size_mm", label: "Size", why: "Larger is found more surely.", kind: "length" },
      { name: "stroke_mm", label: "Stroke", why: "How thick the lines of corners, crosses and rings are.", kind: "length" },
      { name: "clear_mm", label: "Clear zone", why: "Free of print round every mark.", kind: "length" },
      { name: "count", label: "How many", why: "Fewer print faster; the note below says what they cannot show.", kind: "choice", choices: [["2", "two"], ["3", "three"], ["4", "four"], ["more", "more, along the sides"]] },
      { name: "spacing_mm", label: "Along the sides, at most", why: "Marks between the corners show a bow.", kind: "length", decimals: 0 },
      { name: "place", label: "They stand", why: "Round the work, or always at the same distance from the edges of the stock.", kind: "choice", choices: [["work", "round the work"], ["stock", "inside the stock"]] },
      { name: "inset_mm", label: "Inside the stock by", why: "From the edge of the stock to the middle of a mark.", kind: "length" },
      { name: "ink", label: "Colour", why: "Black in one ink; another where the reader's light asks for it.", kind: "choice", choices: [["black", "black"], ["magenta", "magenta"], ["cyan", "cyan"], ["red", "red"]] },
      { name: "code", label: "Frame code", why: "What names the frame and its end.", kind: "choice", choices: [["data matrix", "Data Matrix"], ["qr", "QR"], ["code 128", "Code 128, bars"]] },
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
  const [offering, setOffering] = useState(false);
  const addMarks = useMutation({
    mutationFn: (preset: string) => told(api.POST("/api/shelf/mark-sets", { body: { preset } })),
    onSuccess: (fresh) => {
      queries.setQueryData(["shelf"], fresh);
      setOffering(false);
      choose({ kind: "mark_set", id: Number(fresh.mark_set[fresh.mark_set.length - 1]?.id) });
    },
    onError: sayProblem,
  });
  if (error) return <main className="flex-1 p-6">{error.message}</main>;
  if (!shelf) return <main className="flex-1" />;
  const rows = (kind: (typeof KINDS)[number]["kind"]) => shelf[kind] as unknown as Entry[];
  const open = KINDS.find(({ kind }) => kind === chosen?.kind) ?? KINDS[0];
  const rule = chosen?.kind === "rule" ? chosen.id : null;
  const card = chosen?.kind === "card" ? chosen.id : null;
  const entry = rule === null && card === null && open && (rows(open.kind).find((row) => row.id === chosen?.id) ?? rows(open.kind)[0]);
  return (
    <>
      <main className="min-w-0 flex-1 overflow-y-auto p-6 pt-5" aria-label="Shelf">
        {KINDS.map(({ kind, title }) => (
          <section key={kind} className="mb-6">
            <h2 className="mb-2.5 flex items-center gap-4">
              {title}
              {kind === "mark_set" && (
                <Popover.Root open={offering} onOpenChange={setOffering}>
                  <Popover.Trigger className="text-[13px] font-semibold text-pine hover:underline">Add a mark set</Popover.Trigger>
                  <Popover.Portal>
                    <Popover.Content align="start" sideOffset={6} aria-label="Mark sets to begin with" className="w-[260px] rounded-[8px] border border-rule bg-paper p-2 shadow-xl">
                      {shelf.mark_presets.map((preset) => (
                        <button key={preset} type="button" className="block min-h-9 w-full rounded-[5px] px-2.5 text-left hover:bg-pine-wash" onClick={() => addMarks.mutate(preset)}>
                          {preset}
                        </button>
                      ))}
                    </Popover.Content>
                  </Popover.Portal>
                </Popover.Root>
              )}
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
        <TestCardTiles chosen={card} choose={(index) => choose({ kind: "card", id: index })} />
        <RuleCards chosen={rule} choose={(index) => choose({ kind: "rule", id: index })} />
      </main>
      <Readings label="Readings">
        {card !== null ? <TestCardReading index={card} cutters={rows("cutter")} stocks={rows("stock")} /> : rule !== null ? <RuleSettings index={rule} choose={(index) => choose(index === null ? null : { kind: "rule", id: index })} /> : open && entry ? <Settings key={`${open.kind}${entry.id}`} kind={open.kind} fields={open.fields} entry={entry} /> : <p>Choose something on the Shelf.</p>}
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
  if (kind === "tool_card") return <>{String(row.tool)} · {figure(Number(row.force_gf), 0)} gf{Number(row.passes) > 1 ? ` · ${String(row.passes)} passes` : ""}</>;
  if (kind === "cutter") return <>reads {size("reach_across_mm")} × {size("reach_along_mm")}</>;
  if (kind === "ink_colour") return <>{["cyan", "magenta", "yellow", "black"].map((ink) => figure(Number(row[ink]), 0)).join(" · ")} %</>;
  if (kind === "print_mode") return <>{figure(Number(row.dpi), 0)} dots, {String(row.passes)} passes, {figure(Number(row.m2_per_hour), 0)} m² an hour</>;
  return <>{row.count === "more" ? "" : `${row.count} × `}{String(row.shape)} of {size("size_mm", 1)}, {size("clear_mm", 1)} kept clear</>;
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
          <MarkShape shape={String(row.shape)} />
        </>
      ) : kind === "print_mode" ? (
        <>
          {[-14, -7, 0, 7, 14].map((y, line) => <path key={y} d={line % 2 && row.two_way ? `M17 ${y}H-17l4 -3m-4 3l4 3` : `M-17 ${y}H17l-4 -3m4 3l-4 3`} fill="none" stroke="var(--color-pine)" strokeWidth="2" />)}
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
      ) : kind === "tool_card" ? (
        <path d="M-5 -20H5V4L0 18L-5 4Z M-5 -4H5" fill="#E8E7DF" stroke="var(--color-slate)" strokeWidth="1.5" />
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

function MarkShape({ shape }: { shape: string }) {
  if (shape === "square") return <rect x="-9" y="-9" width="18" height="18" fill="var(--color-ink)" />;
  if (shape === "ring") return <circle r="8.5" fill="none" stroke="var(--color-ink)" strokeWidth="4" />;
  if (shape === "cross") return <path d="M-10 0H10M0 -10V10" stroke="var(--color-ink)" strokeWidth="3.5" />;
  if (shape === "corner") return <path d="M-8 10V-8H10" fill="none" stroke="var(--color-ink)" strokeWidth="3.5" />;
  return <circle r="10" fill="var(--color-ink)" />;
}

/** What the four inks look like on a screen, roughly. */
function processColour(row: Entry) {
  const level = (ink: string) => Math.round(255 * (1 - Number(row[ink]) / 100) * (1 - Number(row.black) / 100));
  return `rgb(${level("cyan")} ${level("magenta")} ${level("yellow")})`;
}

function Settings({ kind, fields, entry }: { kind: string; fields: Field[]; entry: Entry }) {
  const queries = useQueryClient();
  const save = useMutation({
    mutationFn: (changes: Record<string, number | string | boolean>) =>
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
      {kind === "ink_colour" || kind === "mark_set" ? (
        <input
          aria-label={kind === "ink_colour" ? "Name of the colour" : "Name of the mark set"}
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
          <Setting key={field.name} field={field} value={entry[field.name]} save={(value) => save.mutate({ [field.name]: value })} />
        ))}
        {typeof entry.cannot_show === "string" && entry.cannot_show && <p className="py-2 text-check-text" role="note">{entry.cannot_show}</p>}
      </Section>
      {kind === "ink_colour" && (
        <button type="button" className="mt-3 min-h-9 font-semibold text-pine hover:underline" onClick={() => remove.mutate()}>
          Take this colour off the Shelf
        </button>
      )}
    </>
  );
}

function Setting({ field, value, save }: { field: Field; value: Entry[string] | undefined; save: (value: number | string | boolean) => void }) {
  if (field.kind === "choice" || field.kind === "yes") {
    const choices: [string, string][] = field.kind === "yes" ? [["true", "yes"], ["false", "no"]] : field.choices;
    return <ChoiceRow label={field.label} why={field.why} value={String(value)} choices={choices} onChange={(next) => save(field.kind === "yes" ? next === "true" : next)} />;
  }
  return (
    <div className="border-b border-rule py-2">
      <div className="mb-1">{field.label}</div>
      {field.kind === "words" ? (
        <input aria-label={field.label} key={String(value)} defaultValue={String(value ?? "")} maxLength={80} onBlur={(event) => event.target.value !== value && save(event.target.value)} onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()} className="h-9 w-full rounded-[5px] border border-rule bg-white px-2.5 font-semibold" />
      ) : (
        <NumberField label={field.label} why={field.why} kind={field.kind} suffix={field.suffix} decimals={field.decimals ?? 1} value={Number(value)} onChange={(next) => save(field.money ? String(next) : next)} />
      )}
      <p className="mt-1 text-[12px] text-slate">{field.why}</p>
    </div>
  );
}
