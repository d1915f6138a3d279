import type { ChangeRun, Run } from "../api/useRun";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { Section } from "../ui/Row";

/** Copies that are all different: where their rows begin, and which of their codes are read back. */
export function RowsSection({ run, change }: { run: Run; change: ChangeRun }) {
  if (!run.pieces.some((piece) => piece.from_rows)) return null;
  return (
    <Section title="Filled from rows">
      <ChoiceRow
        label="The first row"
        value={run.document.rows_from}
        choices={[
          ["head", "is printed first"],
          ["tail", "is printed last"],
        ]}
        why="Rows follow each other along the roll. A roll that is wound up has what was printed last outside."
        onChange={(value) => change("order of rows", { rows_from: value })}
      />
      {run.document.way !== "only" && (
        <ChoiceRow
          label="They are cut"
          value={run.document.cut_order}
          choices={[
            ["shortest", "by the shortest way"],
            ["rows", "in the order of rows"],
          ]}
          why="In the order of rows pieces can be taken off as they are numbered; the head goes a longer way."
          onChange={(value) => change("order of the cut", { cut_order: value })}
        />
      )}
      <ChoiceRow
        label="Codes read back"
        value={run.document.read_codes}
        choices={[
          ["some", "some of every frame"],
          ["all", "every one"],
        ]}
        why="From the print file, before it is sent."
        onChange={(value) => change("codes read back", { read_codes: value })}
      />
    </Section>
  );
}

/** Room between pieces, how they may be turned, and how long a layout is looked for. */
export function SpacingSection({ run, change }: { run: Run; change: ChangeRun }) {
  return (
    <Section title="Spacing and turning">
      <NumberRow
        label="Between pieces"
        value={run.document.gap_mm}
        least={0}
        why="No two cut lines come nearer than this."
        onChange={(value) => change("gap", { gap_mm: value })}
      />
      <NumberRow
        label="From the marks"
        value={run.document.edge_mm}
        least={0}
        why="Extra room between the pieces and the clear zones of the marks."
        onChange={(value) => change("edge", { edge_mm: value })}
      />
      <ChoiceRow
        label="Turning"
        value={run.document.turning}
        choices={[
          ["free", "free"],
          ["quarter", "quarter turns"],
          ["half", "half turns"],
          ["none", "none"],
        ]}
        why="A design that allows less keeps its own rule."
        onChange={(value) => change("turning", { turning: value })}
      />
      <NumberRow
        label="Time to nest"
        kind="plain"
        suffix="s"
        decimals={1}
        value={run.document.seconds}
        step={1}
        least={0.5}
        why="Longer finds a shorter layout; you can stop at any time."
        onChange={(value) => change("time to nest", { seconds: value })}
      />
      <NumberRow
        label="Then in the background"
        kind="plain"
        suffix="s"
        decimals={0}
        value={run.document.improve_seconds}
        step={10}
        least={0}
        most={3600}
        why="Goes on looking while you work, and offers what is shorter. 0: not at all."
        onChange={(value) => change("time in the background", { improve_seconds: Math.max(0, value) })}
      />
    </Section>
  );
}
