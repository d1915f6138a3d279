import type { ChangeRun, Run } from "../api/useRun";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { Section } from "../ui/Row";

/** The first distance from an edge that is offered. */
const FIRST_MM = 5;
const PLACES: Record<"middle" | "left" | "right", string> = {
  middle: "in the middle",
  left: "from the left edge",
  right: "from the right edge",
};

/** Where on the stock the run begins, and whether that is a roll or sheets. */
export function PlaceSection({ run, machine }: { run: Run; machine: ChangeRun }) {
  const { start_across_mm: across, start_side: side, start_along_mm: along, sheet_mm, along: end } = run.document;
  const onSheets = sheet_mm !== null;
  const place = across === null ? "middle" : side;
  const goTo = (next: keyof typeof PLACES) =>
    machine(
      "place across",
      next === "middle" ? { start_across_mm: null, start_side: "left" } : { start_across_mm: across ?? FIRST_MM, start_side: next },
    );
  return (
    <Section title="Where it lies">
      <ChoiceRow
        label="Across"
        value={place}
        choices={Object.entries(PLACES) as [keyof typeof PLACES, string][]}
        why="In the middle of the stock, or at a distance from an edge; the left one is the upper one here."
        onChange={goTo}
      />
      {across !== null && (
        <NumberRow
          label={`From the ${side} edge`}
          least={FIRST_MM}
          value={across}
          why="To the clear zone of the marks on that side."
          onChange={(value) => machine("place across", { start_across_mm: Math.max(FIRST_MM, value) })}
        />
      )}
      {onSheets && (
        <ChoiceRow
          label="On its sheet"
          value={end}
          choices={[
            ["head", "at the head"],
            ["middle", "in the middle"],
            ["tail", "at the tail"],
          ]}
          why="Where work lies that is shorter than its sheet. The head leaves the printer first."
          onChange={(next) => machine("place on the sheet", { along: next, ...(next === "middle" ? { start_along_mm: 0 } : {}) })}
        />
      )}
      {!(onSheets && end === "middle") && (
        <NumberRow
          label={onSheets && end === "tail" ? "Left free behind it" : "Left free before it"}
          least={0}
          value={along}
          why={
            onSheets
              ? "Stock that stays empty at that end of every sheet."
              : "Stock that stays empty before the first frame, past a print or a fault."
          }
          onChange={(value) => machine("start along", { start_along_mm: Math.max(0, value) })}
        />
      )}
      <ChoiceRow
        label="Stock lies as"
        value={onSheets ? "sheets" : "roll"}
        choices={[
          ["roll", "a roll"],
          ["sheets", "sheets"],
        ]}
        why="Sheets are cut off first: each holds one frame with its own marks, its number in the slug."
        onChange={(value) => machine("roll or sheets", { sheet_mm: value === "roll" ? null : 700 })}
      />
      {onSheets && <Sheets run={run} machine={machine} length={sheet_mm} />}
    </Section>
  );
}

function Sheets({ run, machine, length }: { run: Run; machine: ChangeRun; length: number }) {
  const { laying, fill_last } = run.document;
  return (
    <>
      <NumberRow
        label="Length of a sheet"
        least={100}
        value={length}
        why="Along the feed; the width is that of the stock."
        onChange={(value) => machine("length of a sheet", { sheet_mm: Math.max(100, value) })}
      />
      {(laying === "nest" || laying === "grid") && (
        <ChoiceRow
          label="The last sheet"
          value={fill_last ? "yes" : "no"}
          choices={[
            ["no", "holds what is left"],
            ["yes", "is filled"],
          ]}
          why="Filled: more are printed than were asked for, as many as the last sheet holds."
          onChange={(value) => machine("last sheet", { fill_last: value === "yes" })}
        />
      )}
    </>
  );
}
