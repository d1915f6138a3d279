import type { ChangeWeb, Web } from "../../api/useWeb";
import { ChoiceRow } from "../../ui/Choice";
import { NumberRow } from "../../ui/Field";
import { Dies } from "./Dies";
import { Count, Free } from "./rows";

type Props = { web: Web; change: ChangeWeb };

export function Repeat({ web, change, takeShape }: Props & { takeShape: (design: number) => void }) {
  const held = web.document;
  const { label } = held;
  return (
    <>
      <Count
        label="Columns"
        value={held.columns}
        most={200}
        why="Labels beside each other."
        put={(columns) => change("columns", { columns })}
      />
      <Count label="Rows" value={held.rows} why="Labels behind each other on one repeat." put={(rows) => change("rows", { rows })} />
      <ShapeRow web={web} change={change} takeShape={takeShape} />
      {label.shape.length === 0 && (
        <NumberRow
          label="Corners"
          value={label.corner_mm}
          zero="sharp"
          least={0}
          why="Radius of the die's corners."
          onChange={(corner_mm) => change("corners", { label: { ...label, corner_mm } })}
        />
      )}
      <NumberRow
        label="Gap across"
        value={held.gap_across_mm}
        decimals={2}
        least={0}
        why="Between the cuts of labels beside each other."
        onChange={(gap_across_mm) => change("gap across", { gap_across_mm })}
      />
      <NumberRow
        label="Gap along"
        value={held.gap_along_mm}
        decimals={2}
        least={0}
        why="Between the cuts of labels behind each other."
        onChange={(gap_along_mm) => change("gap along", { gap_along_mm })}
      />
      {!held.cylinder && (
        <Free
          label="Repeat"
          value={held.repeat_mm}
          zero="by its rows"
          why="How far it is from one page to the next."
          put={(repeat_mm) => change("repeat", { repeat_mm })}
        />
      )}
      <Dies change={change} />
      <Cylinder held={held.cylinder} change={change} />
      <Free
        label="From the left edge"
        value={held.from_left_mm}
        zero="in the middle"
        why="Where the first cut begins."
        put={(from_left_mm) => change("from the left", { from_left_mm })}
      />
      <Free
        label="From the first edge"
        value={held.from_first_mm}
        zero="in the middle"
        why="Where the first cut begins behind the edge that is printed first."
        put={(from_first_mm) => change("from the first edge", { from_first_mm })}
      />
    </>
  );
}

/** A rectangle, what a die brought along, or the line that its design has. */
function ShapeRow({ web, change, takeShape }: Props & { takeShape: (design: number) => void }) {
  const { label, designs } = web.document;
  const own: [string, string][] = label.shape.length > 0 ? [["own", "in a shape of their own"]] : [];
  return (
    <ChoiceRow
      label="Labels are cut"
      value={label.shape.length > 0 ? "own" : "rectangle"}
      choices={[["rectangle", "by size and corners"], ...own, ["line", "as the line of the art goes"]]}
      why="A shape is stretched to the width and the height of the label."
      onChange={(value) => {
        if (value === "line" && designs[0]) takeShape(designs[0]);
        if (value === "rectangle") change("rectangles", { label: { ...label, shape: [] } });
      }}
    />
  );
}

/** Teeth and pitch say the repeat; a flexible plate on it gets a drawing of its own. */
function Cylinder({ held, change }: { held: Web["document"]["cylinder"]; change: ChangeWeb }) {
  const put = (changes: Partial<NonNullable<typeof held>>) => held && change("cylinder", { cylinder: { ...held, ...changes } });
  return (
    <>
      <ChoiceRow
        label="Cut by"
        value={held ? "cylinder" : "any"}
        choices={[
          ["any", "any die or knife"],
          ["cylinder", "a cylinder"],
        ]}
        why="A cutting cylinder: its teeth times their pitch is its way round, and so the repeat."
        onChange={(value) => change("cylinder", { cylinder: value === "any" ? null : { teeth: 80, pitch_mm: 4, around: 1, plate_mm: 0 } })}
      />
      {held && (
        <>
          <NumberRow
            label="Teeth"
            kind="plain"
            decimals={0}
            step={1}
            least={8}
            most={1000}
            value={held.teeth}
            why="Of the gear of the cylinder."
            onChange={(teeth) => put({ teeth: Math.round(teeth) })}
          />
          <NumberRow
            label="Pitch of a tooth"
            decimals={3}
            least={0.5}
            most={20}
            value={held.pitch_mm}
            why="Along the pitch circle, as the machine's book says."
            onChange={(pitch_mm) => put({ pitch_mm })}
          />
          <Count
            label="Repeats on its way round"
            value={held.around}
            most={100}
            why="How often the page lies on the cylinder."
            put={(around) => put({ around })}
          />
          <NumberRow
            label="Flexible plate, thick"
            decimals={3}
            step={0.05}
            zero="none"
            least={0}
            most={3}
            value={held.plate_mm}
            why="Bent round the cylinder it becomes longer: its drawing, plate.dxf, is as much shorter along."
            onChange={(plate_mm) => put({ plate_mm })}
          />
        </>
      )}
    </>
  );
}

/** How the printer follows the web. */
function Feeding({ held, change }: { held: Web["document"]["feeding"]; change: ChangeWeb }) {
  const put = (words: string, changes: Partial<typeof held>) => change(words, { feeding: { ...held, ...changes } });
  return (
    <>
      <ChoiceRow
        label="Its labels"
        value={held.cut_already ? "cut" : "whole"}
        choices={[
          ["whole", "are cut after printing"],
          ["cut", "are cut already"],
        ]}
        why="Labels that lie cut out on the liner are only printed: there is no cut file."
        onChange={(value) => put("labels that are cut already", { cut_already: value === "cut" })}
      />
      <ChoiceRow
        label="The printer finds them by"
        value={held.finds}
        choices={[
          ["nothing", "nothing"],
          ["gap", "the gap between them"],
          ["mark", "a black mark"],
          ["notch", "a notch or a hole"],
        ]}
        why="What its sensor follows, so that the print stays on the labels."
        onChange={(finds) => put("what labels are found by", { finds })}
      />
      <ChoiceRow
        label="It severs"
        value={held.severs}
        choices={[
          ["end", "at the end"],
          ["each", "behind each row"],
          ["every", "behind every so many"],
        ]}
        why="Where the printer cuts the web off."
        onChange={(severs) => put("where it severs", { severs })}
      />
      {held.severs === "every" && (
        <Count
          label="Rows between two cuts"
          value={held.every}
          most={100_000}
          why="Rows of labels on one piece."
          put={(every) => put("rows on a piece", { every })}
        />
      )}
    </>
  );
}

export function Stock({ web, change }: Props) {
  const { document: held } = web;
  const edge = (key: keyof typeof held.unprinted, label: string) => (
    <NumberRow
      label={label}
      value={held.unprinted[key]}
      decimals={2}
      zero="none"
      least={0}
      why="What the printer leaves unprinted there."
      onChange={(value) => change("unprinted edge", { unprinted: { ...held.unprinted, [key]: value } })}
    />
  );
  return (
    <>
      <ChoiceRow
        label="Stock"
        value={String(held.stock_id ?? "")}
        choices={[["", "width typed"], ...web.stocks.map(({ id, name }): [string, string] => [String(id), name])]}
        why="A stock of the Shelf brings its width and its price."
        onChange={(value) => change("stock", { stock_id: Number(value) || null })}
      />
      <Feeding held={held.feeding} change={change} />
      {web.modes.length > 0 && (
        <ChoiceRow
          label="Print mode"
          value={String(held.print_mode_id ?? "")}
          choices={[["", "not said"], ...web.modes.map(({ id, name }): [string, string] => [String(id), name])]}
          why="Says how long it takes to print."
          onChange={(value) => change("print mode", { print_mode_id: Number(value) || null })}
        />
      )}
      {edge("left_mm", "Unprinted at the left")}
      {edge("right_mm", "Unprinted at the right")}
      {edge("first_mm", "Unprinted at the first edge")}
      {edge("last_mm", "Unprinted at the end")}
    </>
  );
}

export function CutLook({ web: { document: held }, change }: Props) {
  const { cut } = held;
  const shaped = held.label.shape.length > 0;
  const put = (changes: Partial<typeof cut>) => change("cut file", { cut: { ...cut, ...changes } });
  return (
    <>
      <ChoiceRow
        label="Outline"
        value={cut.inset_mm === null ? "own" : "inset"}
        choices={[
          ["own", "the label's own cut"],
          ["inset", "inside its art by"],
        ]}
        why="Some finishers want the outline a little inside the art."
        onChange={(value) => put({ inset_mm: value === "own" ? null : held.bleed_mm })}
      />
      {cut.inset_mm !== null && (
        <NumberRow
          label="Inside the art by"
          value={cut.inset_mm}
          decimals={2}
          least={-20}
          most={20}
          why="On every side."
          onChange={(inset_mm) => put({ inset_mm })}
        />
      )}
      {(!shaped || cut.top_at_art) && (
        <ChoiceRow
          label="End of the outline"
          value={cut.top_at_art ? "art" : "plain"}
          choices={[
            ["plain", "like the other sides"],
            ["art", "where the art ends"],
          ]}
          why="Whether the outline ends with the art at the end of the page."
          onChange={(value) => put({ top_at_art: value === "art" })}
        />
      )}
      {(!shaped || cut.corner_mm !== null) && (
        <Free
          label="Corners of the outline"
          value={cut.corner_mm}
          zero="as the label"
          why="Their radius."
          put={(corner_mm) => put({ corner_mm })}
        />
      )}
      <NumberRow
        label="Stroke"
        value={cut.stroke_mm}
        decimals={2}
        step={0.05}
        least={0.01}
        most={5}
        why="Width of the outline in the file."
        onChange={(stroke_mm) => put({ stroke_mm })}
      />
      <ChoiceRow
        label="The mark lies"
        value={cut.mark_last ? "over" : "under"}
        choices={[
          ["over", "over the outlines"],
          ["under", "under them"],
        ]}
        why="What is painted last lies on top."
        onChange={(value) => put({ mark_last: value === "over" })}
      />
    </>
  );
}
