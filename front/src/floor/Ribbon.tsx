import type { Schemas } from "../api/client";

type Steps = Schemas["JobListed"]["steps"];

const STEPS: [keyof Steps, string][] = [
  ["lines", "lines"],
  ["run", "in a run"],
  ["print", "printed"],
  ["film", "film"],
  ["cut", "cut and good"],
];

/** The five steps of the work, each filled as far as its pieces have come: green where it is done, brown where it is begun. */
export function Ribbon({ steps }: { steps: Steps }) {
  const said = STEPS.map(([step, words]) => `${words} ${Math.round((steps[step] ?? 0) * 100)} %`).join(", ");
  return (
    <span role="img" aria-label={said} className="grid grid-cols-5 gap-1">
      {STEPS.map(([step]) => {
        const share = steps[step] ?? 0;
        return (
          <span key={step} className="h-[5px] overflow-hidden rounded-full bg-rule/70">
            <span
              className={`block h-full rounded-full ${share >= 1 ? "bg-pine" : "bg-kraft"}`}
              style={{ width: `${Math.max(share, share > 0 ? 0.12 : 0) * 100}%` }}
            />
          </span>
        );
      })}
    </span>
  );
}

export const TONES: Record<Schemas["JobListed"]["tone"], string> = {
  plain: "text-slate",
  look: "text-check-text",
  stop: "text-stop",
  good: "text-pine",
};
