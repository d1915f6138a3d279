import { useQuery } from "@tanstack/react-query";
import { shelfQuery } from "../../api/keys";
import type { Run } from "../../api/useRun";
import { Button } from "../../ui/Button";
import { Note } from "../../ui/Card";
import { ChoiceRow } from "../../ui/Choice";
import { NumberRow } from "../../ui/Field";
import { Section } from "../../ui/Row";
import { DEGREES, TURNS } from "../turns";
import { another, type Blank, type PutBlanks, withOne } from "./blanks";

const ANY = "any";

type Props = {
  run: Run;
  bed: NonNullable<Run["bed"]>;
  index: number;
  choose: (index: number | null) => void;
  put: PutBlanks;
};

/** One blank on the bed: where it lies, how large it is, what lies on it. */
export function BlankReadings({ run, bed, index, choose, put }: Props) {
  const { data: shelf } = useQuery(shelfQuery);
  const places = run.document.bed.places;
  const blank = places[index];
  if (!blank) return null;
  const change = (changes: Partial<Blank>) =>
    put(
      `blank ${index + 1}`,
      withOne(index, (one) => ({ ...one, ...changes })),
    );
  const fault = bed.faults[String(index + 1)];
  const stocks = shelf?.stock.filter((row) => !row.away || row.id === blank.stock_id) ?? [];
  const sizes = [
    ["From the left edge", "x_mm", 0, "To the blank's own left edge; the left edge of the bed is on top here."],
    ["From the near edge", "y_mm", 0, "To its near edge; the near edge of the bed is on the left here."],
    ["It is wide", "width_mm", 5, "Measured across the bed."],
    ["and long", "height_mm", 5, "Measured away from the near edge."],
  ] as const;
  return (
    <Section title={`Blank ${index + 1}`}>
      {fault && <Note tone="stop">{fault}</Note>}
      {sizes.map(([label, key, least, why]) => (
        <NumberRow
          key={key}
          label={label}
          least={least}
          value={blank[key]}
          why={why}
          onChange={(value) => change({ [key]: Math.max(least, value) })}
        />
      ))}
      <ChoiceRow
        label="Its shape"
        value={blank.shape}
        choices={[
          ["rectangle", "a rectangle"],
          ["ellipse", "round or oval"],
        ]}
        why="Nothing that reaches beyond it is put on it."
        onChange={(shape) => change({ shape })}
      />
      <ChoiceRow
        label="Piece on it turned"
        value={`${blank.rotation_deg}`}
        choices={TURNS}
        why="Counter-clockwise, as it lies."
        onChange={(value) => change({ rotation_deg: DEGREES[value] })}
      />
      <ChoiceRow
        label="What lies on it"
        value={blank.design_id === null ? ANY : String(blank.design_id)}
        choices={[[ANY, "any design"], ...run.pieces.map((piece): [string, string] => [String(piece.design_id), piece.name])]}
        why="Any: design after design by their counts."
        onChange={(value) => change({ design_id: value === ANY ? null : Number(value) })}
      />
      <ChoiceRow
        label="Made of"
        value={blank.stock_id === null ? ANY : String(blank.stock_id)}
        choices={[
          [ANY, run.stock_name],
          ...stocks.filter((row) => row.id !== run.document.stock_id).map((row): [string, string] => [String(row.id), row.name]),
        ]}
        why="Where blanks are of several stocks, each takes the designs whose job says that stock, or none."
        onChange={(value) => change({ stock_id: value === ANY ? null : Number(value) })}
      />
      <div className="flex gap-1.5 py-2">
        <Button
          narrow
          onClick={() => {
            put("one more blank", (now) => [...now, another(blank, bed, run.document.bed.gap_across_mm)]);
            choose(places.length);
          }}
        >
          One more like it
        </Button>
        <Button
          narrow
          onClick={() => {
            put(`blank ${index + 1} taken off`, (now) => now.filter((_, number) => number !== index));
            choose(null);
          }}
        >
          Take it off
        </Button>
      </div>
    </Section>
  );
}
