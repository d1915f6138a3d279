import type { ChangeWeb, Web } from "../../api/useWeb";
import { ChoiceRow } from "../../ui/Choice";
import { NumberRow, TextField } from "../../ui/Field";
import { Labelled } from "../../ui/Row";
import { Count, Free } from "./rows";
import { Unwinding } from "./Unwinding";

/** How many labels on which rolls, which way they unwind, and what an applicator asks of them. */
export function Rolls({ web: { document: held, filled }, change }: { web: Web; change: ChangeWeb }) {
  const { rolls, applicator } = held;
  const put = (changes: Partial<typeof rolls>) => change("rolls", { rolls: { ...rolls, ...changes } });
  const ask = (changes: Partial<typeof applicator>) => change("applicator", { applicator: { ...applicator, ...changes } });
  return (
    <>
      {filled > 0 && (
        <Labelled words="Rows that are printed">
          <TextField
            label="Rows that are printed"
            value={held.only_rows}
            longest={1000}
            onChange={(only_rows) => change("rows that are printed", { only_rows })}
          />
          <p className="mt-1 text-[12px] text-slate">Empty: all. What was spoiled is made again with what was on it: 12, 15-18.</p>
        </Labelled>
      )}
      {filled > 0 ? (
        <ChoiceRow
          label={`${filled} rows, the first`}
          value={held.rows_from}
          choices={[
            ["head", "is printed first"],
            ["tail", "is printed last"],
          ]}
          why="On each roll rows follow each other. Wound up, what was printed last is outside and comes off first."
          onChange={(rows_from) => change("order of rows", { rows_from })}
        />
      ) : (
        <Count
          label="Labels wanted"
          value={rolls.count}
          most={100_000_000}
          why="Good labels of this web."
          put={(count) => put({ count })}
        />
      )}
      <NumberRow
        label="On a roll"
        kind="plain"
        decimals={0}
        zero="all of them"
        least={0}
        most={10_000_000}
        value={rolls.per_roll ?? 0}
        why="Labels on one finished roll."
        onChange={(next) => put({ per_roll: Math.round(next) || null })}
      />
      <ChoiceRow
        label="Lanes"
        value={rolls.slit ? "slit" : "whole"}
        choices={[
          ["slit", "slit into rolls"],
          ["whole", "stay together"],
        ]}
        why="Slit apart, every column becomes rolls of its own."
        onChange={(value) => put({ slit: value === "slit" })}
      />
      <NumberRow
        label="Leader"
        value={rolls.leader_mm}
        zero="none"
        least={0}
        why="Blank stock before the first label of a roll."
        onChange={(leader_mm) => put({ leader_mm })}
      />
      <NumberRow
        label="Tail"
        value={rolls.tail_mm}
        zero="none"
        least={0}
        why="Blank stock behind the last one."
        onChange={(tail_mm) => put({ tail_mm })}
      />
      <NumberRow
        label="Core"
        value={rolls.core_mm}
        least={5}
        most={500}
        why="Outer diameter of the core."
        onChange={(core_mm) => put({ core_mm })}
      />
      <NumberRow
        label="Thickness with liner"
        value={rolls.thickness_mm}
        decimals={3}
        step={0.01}
        zero="not known"
        least={0}
        most={5}
        why="Says how thick a full roll becomes."
        onChange={(thickness_mm) => put({ thickness_mm })}
      />
      <Unwinding value={held.unwinding} put={(unwinding) => change("unwinding", { unwinding })} />
      <Count
        label="Windings until it is applied"
        value={held.windings}
        most={9}
        why="Once where the printer winds the finished roll; each winding more turns round which end comes first."
        put={(windings) => change("windings", { windings })}
      />
      <Free
        label="Applicator: least gap"
        value={applicator.least_gap_mm}
        zero="any"
        why="Between labels, so that it finds each."
        put={(least_gap_mm) => ask({ least_gap_mm })}
      />
      <Free label="Applicator: core" value={applicator.core_mm} zero="any" why="The core it takes." put={(core_mm) => ask({ core_mm })} />
      <Free
        label="Applicator: thickest roll"
        value={applicator.most_outer_mm}
        zero="any"
        why="The largest diameter it takes."
        put={(most_outer_mm) => ask({ most_outer_mm })}
      />
    </>
  );
}
