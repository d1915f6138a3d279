import type { Schemas } from "../api/client";
import { TextButton } from "../ui/Button";
import { NumberRow } from "../ui/Field";
import { Fold } from "../ui/Row";

type Step = Schemas["ToolStep"];
type ForJob = NonNullable<Schemas["ToolAsked"]["set"]>;
type Props = { tools: Step[]; set: (kind: Step["kind"], told: ForJob | null) => void };

/** What each tool does on this run alone: the Shelf's cards stay as they are. */
export function ToolsForJob({ tools, set }: Props) {
  if (tools.length === 0) return null;
  return (
    <Fold name="bench tools" title="Tools, for this run alone" closed>
      {tools.map((step) => (
        <OneTool key={step.kind} step={step} set={(told) => set(step.kind, told)} />
      ))}
    </Fold>
  );
}

const SETTINGS = [
  {
    name: "force_gf",
    words: "force",
    suffix: "gf",
    step: 5,
    least: 0,
    why: "From the next cut on. The test card of the stock finds what is right for all runs.",
  },
  { name: "speed_mm_s", words: "speed", suffix: "mm/s", step: 10, least: 1, why: "Slower for small or fine shapes." },
  { name: "passes", words: "passes", suffix: undefined, step: 1, least: 1, why: "How often every line is followed." },
] as const;

function OneTool({ step, set }: { step: Step; set: (told: ForJob | null) => void }) {
  const now = { force_gf: step.force_gf, speed_mm_s: step.speed_mm_s, passes: step.passes, tie_mm: step.tie_mm };
  const words = `${step.kind[0]?.toUpperCase()}${step.kind.slice(1)}`;
  return (
    <div className="mb-3">
      <h3 className="mt-2 mb-1 font-semibold">
        {words}
        {step.for_job && <span className="ml-2 text-[12px] font-normal text-check-text">not as on the Shelf</span>}
      </h3>
      {SETTINGS.map(({ name, words: setting, ...row }) => (
        <NumberRow
          key={name}
          label={`${words}: ${setting}`}
          kind="plain"
          decimals={0}
          {...row}
          value={step[name]}
          onChange={(value) => set({ ...now, [name]: name === "passes" ? Math.round(value) : value })}
        />
      ))}
      {step.kind === "through" && (
        <NumberRow
          label={`${words}: ties`}
          zero="none"
          least={0}
          value={step.tie_mm}
          why="Length of the bridges that hold the pieces in their sheet until they are pressed out."
          onChange={(tie_mm) => set({ ...now, tie_mm })}
        />
      )}
      {step.for_job && <TextButton onClick={() => set(null)}>As on the Shelf again</TextButton>}
    </div>
  );
}
