import type { ChangeRun, Run } from "../api/useRun";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { Section } from "../ui/Row";

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
