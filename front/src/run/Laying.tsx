import type { ChangeRun, Run } from "../api/useRun";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { Section } from "../ui/Row";
import { Note } from "../ui/Card";
import { setDown } from "./bed/blanks";
import { DEGREES, TURNS } from "./turns";
import { length, useUnit } from "../ui/units";

type Document = Run["document"];
type Props = { run: Run; change: ChangeRun };

/** True shapes, a straight grid or places on a bed, and how they stand. */
export function LayingSection({ run, change }: Props) {
  const { laying } = run.document;
  return (
    <Section title="Laying">
      <ChoiceRow
        label="Pieces are"
        value={laying}
        choices={[
          ["nest", "nested by their shapes"],
          ["grid", "in a straight grid"],
          ["bed", "on the places of a bed"],
          ["each", "one to a frame"],
          ...(run.bring_marks || laying === "page" ? [["page", "pages as they came"] as ["page", string]] : []),
        ]}
        why="A grid is quick to weed and to count; nesting takes less stock; a bed plan prints one piece on every blank that lies there."
        onChange={(next) => change("way of laying", { laying: next })}
      />
      {laying === "grid" && <Grid run={run} change={change} />}
      {laying === "page" && (
        <>
          <ChoiceRow
            label="Code beside the page"
            value={run.document.page_codes ? "yes" : "no"}
            choices={[
              ["no", "none"],
              ["yes", "before and behind it"],
            ]}
            why="By a code the cutter knows which page lies there and which end is first, from a roll too; the print becomes longer."
            onChange={(value) => change("codes of pages", { page_codes: value === "yes" })}
          />
          <p className="py-1.5 text-[12px] text-slate">
            Each page is a frame by itself, with the marks that it brought; none is printed again.
            {!run.document.page_codes && " At the cutter you say which sheet lies there."}
          </p>
        </>
      )}
      {laying === "bed" && <BedPlan run={run} change={change} />}
      {run.turned && <QuarterTurn run={run} change={change} turned={run.turned} />}
    </Section>
  );
}

/** A quarter turn that holds more: offered, and taken in one press. */
function QuarterTurn({ run, change, turned }: Props & { turned: NonNullable<Run["turned"]> }) {
  const unit = useUnit((state) => state.unit);
  const { laying, grid, bed } = run.document;
  const turn = (deg: Document["grid"]["rotation_deg"]) => ((deg + 90) % 360) as Document["grid"]["rotation_deg"];
  const take = () =>
    laying === "bed"
      ? change("blanks turned", {
          bed: {
            ...bed,
            place_across_mm: bed.place_along_mm,
            place_along_mm: bed.place_across_mm,
            rotation_deg: turn(bed.rotation_deg),
          },
        })
      : change("turn of the grid", { grid: { ...grid, rotation_deg: turn(grid.rotation_deg) } });
  const gains = turned.fewer_sheets
    ? `One quarter turn more takes ${turned.fewer_sheets} ${turned.fewer_sheets === 1 ? "sheet" : "sheets"} less.`
    : turned.more
      ? `One quarter turn more fits ${turned.more} more on ${laying === "bed" ? "the bed" : "a sheet"}.`
      : `One quarter turn more saves ${length(turned.shorter_mm, unit, 0)} ${unit}.`;
  return (
    <Note>
      {gains}{" "}
      <button type="button" className="font-semibold text-pine underline" onClick={take}>
        Turn them
      </button>
    </Note>
  );
}

function Grid({ run, change }: Props) {
  const { grid } = run.document;
  const put = (words: string, changes: Partial<Document["grid"]>) => change(words, (now) => ({ grid: { ...now.grid, ...changes } }));
  return (
    <>
      <NumberRow
        label="Columns"
        kind="plain"
        decimals={0}
        step={1}
        least={0}
        most={1000}
        value={grid.columns ?? 0}
        why="How many stand beside each other; 0 takes as many as fit."
        onChange={(value) => put("columns", { columns: value >= 1 ? Math.round(value) : null })}
      />
      <NumberRow
        label="Rows of a frame"
        kind="plain"
        decimals={0}
        step={1}
        least={0}
        most={1000}
        value={grid.rows ?? 0}
        zero="as many as fit"
        why="How many stand behind each other before the next frame begins; 0 takes as many as fit."
        onChange={(value) => put("rows", { rows: value >= 1 ? Math.round(value) : null })}
      />
      <NumberRow
        label="Gap across"
        least={0}
        value={grid.gap_across_mm}
        why="Between the boxes round two neighbours in a row."
        onChange={(value) => put("gap across", { gap_across_mm: value })}
      />
      <NumberRow
        label="Gap along the feed"
        least={0}
        value={grid.gap_along_mm}
        why="Between two rows."
        onChange={(value) => put("gap along", { gap_along_mm: value })}
      />
      <ChoiceRow
        label="Stands"
        value={grid.place}
        choices={[
          ["centred", "centred"],
          ["from the edge", "from the left"],
          ["from the right", "from the right"],
        ]}
        why="Rows that are not full, or of several designs: in the middle between the marks, or from one side."
        onChange={(place) => put("place of the grid", { place })}
      />
      <ChoiceRow
        label="Rows stand"
        value={grid.staggered ? "yes" : "no"}
        choices={[
          ["no", "under each other"],
          ["yes", "staggered"],
        ]}
        why="Every other row is shifted by half a step."
        onChange={(value) => put("staggered", { staggered: value === "yes" })}
      />
      <ChoiceRow
        label="Pieces turned"
        value={`${grid.rotation_deg}`}
        choices={TURNS}
        why="All pieces stand the same way."
        onChange={(value) => put("turn of the grid", { rotation_deg: DEGREES[value] })}
      />
    </>
  );
}

function BedPlan({ run, change }: Props) {
  const { bed } = run.document;
  const set = (words: string, changes: Partial<Document["bed"]>) => change(words, (now) => ({ bed: { ...now.bed, ...changes } }));
  return (
    <>
      <p className="py-1.5 text-[12px] text-slate" role="status">
        {run.places.length} places fit on one bed. Each gets one piece, design after design by their counts.
      </p>
      <ChoiceRow
        label="Blanks lie"
        value={bed.places.length ? "one by one" : "in rows"}
        choices={[
          ["in rows", "in rows of one size"],
          ["one by one", "where they are set down"],
        ]}
        why="One by one: drawn on the bed, each dragged or measured from two edges, of any size, for any design."
        onChange={(value) =>
          value === "in rows" ? set("blanks in rows", { places: [] }) : set("blanks set down", { places: setDown(run) })
        }
      />
      {run.document.way === "print" && (
        <ChoiceRow
          label="Marks stand"
          value={bed.marks}
          choices={[
            ["round", "round the bed"],
            ["each", "on each blank"],
          ]}
          why="Round the bed all is cut as it lay. With its own marks each blank goes to the cutter by itself, which knows it by its code."
          onChange={(marks) => set("marks of the bed", { marks })}
        />
      )}
      {bed.places.length ? (
        <p className="py-1.5 text-[12px] text-slate">
          Drag blanks on the bed, or choose one and type where it lies. A double press on the bare bed sets down one more like the last.
        </p>
      ) : (
        <BlanksInRows run={run} change={change} />
      )}
    </>
  );
}

function BlanksInRows({ run, change }: Props) {
  const { bed } = run.document;
  const set = (words: string, changes: Partial<Document["bed"]>) => change(words, (now) => ({ bed: { ...now.bed, ...changes } }));
  return (
    <>
      <NumberRow
        label="Blanks beside each other"
        kind="plain"
        zero="all that fit"
        decimals={0}
        step={1}
        least={0}
        most={1000}
        value={bed.columns ?? 0}
        why="How many lie across the bed; 0 takes as many as fit."
        onChange={(value) => set("blanks across", { columns: value >= 1 ? Math.round(value) : null })}
      />
      <NumberRow
        label="Rows of blanks"
        kind="plain"
        zero="all that fit"
        decimals={0}
        step={1}
        least={0}
        most={1000}
        value={bed.rows ?? 0}
        why="How many rows lie behind each other; 0 takes as many as fit."
        onChange={(value) => set("rows of blanks", { rows: value >= 1 ? Math.round(value) : null })}
      />
      <NumberRow
        label="A blank is wide"
        least={5}
        value={bed.place_across_mm}
        why="Measured across the bed."
        onChange={(value) => set("width of a blank", { place_across_mm: Math.max(5, value) })}
      />
      <NumberRow
        label="and long"
        least={5}
        value={bed.place_along_mm}
        why="Measured away from the near edge."
        onChange={(value) => set("length of a blank", { place_along_mm: Math.max(5, value) })}
      />
      <NumberRow
        label="Left edge to the first"
        least={0}
        value={bed.first_across_mm}
        why="From the corner between the marks to the first blank."
        onChange={(value) => set("first blank", { first_across_mm: Math.max(0, value) })}
      />
      <NumberRow
        label="Near edge to the first"
        least={0}
        value={bed.first_along_mm}
        why="From the same corner, away from you."
        onChange={(value) => set("first blank", { first_along_mm: Math.max(0, value) })}
      />
      <NumberRow
        label="Room beside a blank"
        least={0}
        value={bed.gap_across_mm}
        why="Free between two blanks beside each other."
        onChange={(value) => set("room beside a blank", { gap_across_mm: Math.max(0, value) })}
      />
      <NumberRow
        label="Room behind a row"
        least={0}
        value={bed.gap_along_mm}
        why="Free between two rows."
        onChange={(value) => set("room behind a row", { gap_along_mm: Math.max(0, value) })}
      />
      <ChoiceRow
        label="Pieces turned"
        value={`${bed.rotation_deg}`}
        choices={TURNS}
        why="All pieces stand the same way."
        onChange={(value) => set("turn on the bed", { rotation_deg: DEGREES[value] })}
      />
    </>
  );
}
