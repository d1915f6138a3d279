import { liesQuery, shelfQuery } from "../api/keys";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schemas } from "../api/client";
import type { ChangeRun } from "../api/useRun";
import { ChoiceRow, SeveralRow } from "../ui/Choice";
import { NumberField, NumberRow } from "../ui/Field";
import { Row, Section } from "../ui/Row";
import { length, useUnit } from "../ui/units";

const framesIn = (frames: number[]) => (frames.length === 1 ? `Frame ${frames[0]}` : `Frames ${frames[0]}–${frames.at(-1)}`);

type Run = Schemas["RunShown"];
type Document = Run["document"];
type Change = ChangeRun;

export function ItemRow({
  piece,
  setCount,
  remove,
}: {
  piece: Schemas["PieceShown"];
  setCount: (count: number) => void;
  remove: () => void;
}) {
  const [open, setOpen] = useState(false);
  return (
    <div className="border-b border-rule">
      <button
        type="button"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
        className="flex min-h-[40px] w-full items-center gap-2.5 text-left hover:text-pine"
      >
        <img src={`/api/designs/${piece.design_id}/thumb`} alt="" className="h-7 w-8 object-contain" />
        <span className="flex-1 truncate">{piece.name}</span>
        <span className={piece.placed < piece.count ? "text-check-text" : ""}>
          <b className="font-semibold">{piece.placed}</b> / {piece.count}
        </span>
      </button>
      {open && (
        <div className="flex items-start gap-2 pb-2.5">
          <div className="flex-1">
            <NumberField
              label={`Count of ${piece.name}`}
              why=""
              kind="plain"
              decimals={0}
              step={1}
              least={1}
              value={piece.count}
              onChange={(value) => setCount(Math.max(1, Math.round(value)))}
              close={() => setOpen(false)}
            />
          </div>
          <button
            type="button"
            onClick={remove}
            className="h-9 rounded-[5px] border border-rule bg-white px-3 font-semibold hover:border-slate"
          >
            Take out
          </button>
        </div>
      )}
    </div>
  );
}

/** The change of a run that is to be cut by another one: a cutter by its number, the printer's `own` knife, or `none`. */
const cutElsewhere = (by: string, way: Schemas["RunDocument"]["way"]) => {
  if (by === "none") return { way: "only" as const };
  if (by === "own") return { way: "both" as const };
  return { cutter_id: Number(by), ...(way === "only" || way === "both" ? { way: "print" as const } : {}) };
};

/** What the run is made on; `machine` changes what may be laid anew. */
export function StockSection({ run, machine }: { run: Run; machine: Change }) {
  const unit = useUnit((state) => state.unit);
  const { data: shelf } = useQuery(shelfQuery);
  const { document } = run;
  const rolls = shelf?.roll.filter((roll) => roll.stock_id === document.stock_id) ?? [];
  const others = rolls.filter((roll) => roll.id !== document.roll_id && (!roll.away || document.more_rolls.includes(roll.id)));
  /** What is put away is not offered, but for what is chosen already. */
  const named = (rows: { id: number; name: string; away: boolean }[] | undefined, id: number | null, words: string): [string, string][] =>
    rows?.filter((row) => !row.away || row.id === id).map((row) => [String(row.id), row.name]) ??
    (id === null ? [] : [[String(id), words]]);
  const none: [string, string] = ["none", "none"];
  const cutBy = document.way === "only" ? "none" : document.way === "both" ? "own" : String(document.cutter_id);
  const hasKnife = shelf?.printer.find((row) => row.id === document.printer_id)?.has_knife ?? false;
  const knife: [string, string][] = hasKnife || cutBy === "own" ? [["own", "the printer's own knife"]] : [];
  const cutters = shelf?.cutter.filter((row) => row.printer_id === null);
  const shapes = shelf?.cutter.find((row) => row.id === document.cutter_id)?.mark_shapes ?? [];
  const readable = shelf?.mark_set.filter((row) => row.id === document.mark_set_id || !shapes.length || shapes.includes(row.shape));
  return (
    <Section title="Stock and machines">
      <Row label={<span className="text-[12px] text-slate">To use across, by {run.narrowest}</span>}>
        {length(run.usable_mm, unit, 0)} {unit}
      </Row>
      {run.grain !== "" && <Row label="Grain of the stock">{run.grain === "along" ? "→ along the feed" : "↓ across the feed"}</Row>}
      <ChoiceRow
        label="Stock"
        value={String(document.stock_id)}
        choices={named(shelf?.stock, document.stock_id, run.stock_name)}
        why="The material this run is printed on."
        onChange={(value) => machine("stock", { stock_id: Number(value) })}
      />
      <ChoiceRow
        label="Roll"
        value={String(document.roll_id)}
        choices={named(rolls.length ? rolls : undefined, document.roll_id, run.roll_name)}
        why="The roll the length is taken off."
        onChange={(value) => machine("roll", { roll_id: Number(value) })}
      />
      {others.length > 0 && (
        <SeveralRow
          label="Goes on on"
          none="no other roll"
          value={document.more_rolls.map(String)}
          choices={others.map((roll) => [String(roll.id), roll.name])}
          why="Between two frames, when the roll before is used up. Frames for it are held until it is on the printer."
          onChange={(value) => machine("rolls", { more_rolls: value.map(Number) })}
        />
      )}
      {document.more_rolls.length > 0 &&
        run.rolls
          .filter((one) => one.frames.length > 0)
          .map((one) => (
            <Row key={one.name} label={framesIn(one.frames)}>
              {one.name}
              {one.lot && <span className="font-normal text-slate"> lot {one.lot}</span>}
            </Row>
          ))}
      {document.more_rolls.length > 0 && run.rolls.reduce((sum, one) => sum + one.frames.length, 0) < run.plans.length && (
        <p className="py-1 text-stop">The rolls are too short for all frames: choose one more.</p>
      )}
      <ChoiceRow
        label="Printer"
        value={String(document.printer_id ?? "none")}
        choices={[...named(shelf?.printer, document.printer_id, "…"), none]}
        why="Nothing is laid wider than it prints."
        onChange={(value) => machine("printer", { printer_id: value === "none" ? null : Number(value) })}
      />
      {document.printer_id !== null && <WhatLies run={run} />}
      <ChoiceRow
        label="Laminator"
        value={String(document.laminator_id ?? "none")}
        choices={[...named(shelf?.laminator, document.laminator_id, "…"), none]}
        why="Nothing is laid wider than its film. None: the print stays without film."
        onChange={(value) => machine("laminator", { laminator_id: value === "none" ? null : Number(value) })}
      />
      <ChoiceRow
        label="Cutter"
        value={cutBy}
        choices={[...named(cutters, document.cutter_id, run.cutter_name), ...knife, ["none", "none: it is only printed"]]}
        why="Frames are as long, and marks as far apart, as it reads. None: no marks are printed and no lines are asked for."
        onChange={(value) => machine("cutter", cutElsewhere(value, document.way))}
      />
      {cutBy !== "none" && cutBy !== "own" && (
        <ChoiceRow
          label="Marks"
          value={String(document.mark_set_id)}
          choices={named(readable, document.mark_set_id, "…")}
          why="What the cutter's head looks for."
          onChange={(value) => machine("marks", { mark_set_id: Number(value) })}
        />
      )}
    </Section>
  );
}

/** Lines that free the waste in strips. */
export function WeedSection({ run, change }: { run: Run; change: Change }) {
  const { weed, way } = run.document;
  const put = (words: string, changes: Partial<Document["weed"]>) => change(words, (now) => ({ weed: { ...now.weed, ...changes } }));
  if (way === "only") return null;
  return (
    <Section title="Weeding">
      <ChoiceRow
        label="Box round the work"
        value={weed.box ? "yes" : "no"}
        choices={[
          ["no", "no"],
          ["yes", "yes"],
        ]}
        why="A kiss line round all pieces of a frame, so that the waste comes off and the margins stay."
        onChange={(value) => put("weed box", { box: value === "yes" })}
      />
      <ChoiceRow
        label="Cross lines"
        value={weed.lines}
        choices={[
          ["none", "none"],
          ["across", "across"],
          ["along", "along the feed"],
          ["both", "both ways"],
        ]}
        why="The waste lifts in strips. They never touch a piece."
        onChange={(lines) => put("cross lines", { lines })}
      />
      {weed.box && (
        <NumberRow
          label="Box beyond the pieces"
          least={0}
          value={weed.margin_mm}
          why="At the sides never further than the clear zone of the marks."
          onChange={(value) => put("margin of the weed box", { margin_mm: Math.max(0, value) })}
        />
      )}
      {weed.lines !== "none" && (
        <>
          <NumberRow
            label="A strip"
            least={10}
            value={weed.strip_mm}
            step={10}
            why="About this wide; each line lies where the pieces interrupt it least."
            onChange={(value) => put("strips", { strip_mm: Math.max(10, value) })}
          />
          <NumberRow
            label="Away from pieces"
            least={0.2}
            value={weed.clear_mm}
            why="How near a cross line comes to a piece."
            onChange={(value) => put("room of weed lines", { clear_mm: Math.max(0.2, value) })}
          />
        </>
      )}
    </Section>
  );
}

const SIGNS = { good: ["✓", "text-go"], look: ["?", "text-check-text"], stop: ["!", "text-stop"] } as const;

/** What the printer says that it holds: it is asked now, so that a run is planned for what is there. */
function WhatLies({ run: { id, document } }: { run: Run }) {
  const { data } = useQuery(liesQuery(id, [document.printer_id, document.stock_id, document.roll_id, document.more_rolls]));
  if (!data?.length) return null;
  return (
    <ul aria-label="What the printer says" className="border-b border-rule py-1.5 text-[12px]">
      {data.map(({ state, words }) => (
        <li key={words} className="flex gap-2 py-0.5">
          <b className={`w-3 shrink-0 font-semibold ${SIGNS[state][1]}`} aria-label={state}>
            {SIGNS[state][0]}
          </b>
          {words}
        </li>
      ))}
    </ul>
  );
}
