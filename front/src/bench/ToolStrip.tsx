import type { Schemas } from "../api/client";
import { whiteLook } from "../ui/look";

const TOOL = "relative flex min-h-[52px] min-w-[184px] flex-1 flex-col justify-center rounded-[7px] border bg-paper px-3 py-1";

/** Minutes and seconds as a clock at arm's length. */
export function clock(seconds: number): string {
  const whole = Math.round(seconds);
  return whole < 60 ? `${whole} s` : `${Math.floor(whole / 60)} min ${whole % 60} s`;
}

/** The tools in the order in which they work, what hands have to put in between, and the time it all takes. */
export function ToolStrip({
  tools,
  waitsFor,
  cutOnly,
}: {
  tools: Schemas["ToolStep"][];
  waitsFor: string;
  cutOnly: ((kind: Schemas["ToolStep"]["kind"]) => void) | null;
}) {
  const total = tools.reduce((sum, step) => sum + step.seconds, 0);
  return (
    <div className="mt-3 flex gap-2.5">
      {/* eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex -- many tools are wider than the stage: the arrows scroll them */}
      <div className="flex min-w-0 flex-1 gap-2.5 overflow-x-auto" aria-label="Tools in order" role="list" tabIndex={0}>
        {tools.map((step, index) => {
          const whole = step.done >= step.lines;
          const next = !whole && tools.slice(0, index).every((before) => before.done >= before.lines);
          const alone = cutOnly !== null && tools.length > 1 && !whole;
          const waits = waitsFor !== "" && step.tool === waitsFor && !whole;
          const edge = waits ? "border-2 border-check" : next ? "border-2 border-pine" : "border-rule";
          return (
            <div
              key={step.kind}
              role="listitem"
              className={`${TOOL} ${edge} ${step.change ? "border-dashed" : ""} ${alone ? "pr-[86px]" : ""}`}
            >
              <span className="text-[12px] leading-4 text-slate">
                {step.change ? "stop to change · " : ""}
                {index + 1} {step.kind}
                {whole ? " ✓ done" : step.done ? ` · ${step.done} of ${step.lines}` : ""}
              </span>
              <span className="font-semibold">
                {step.tool || "any tool"}
                {step.force_gf ? ` · ${Math.round(step.force_gf)}\u00a0gf` : ""}
                {step.passes > 1 ? ` · ${step.passes} passes` : ""}
                {step.for_job && <span className="ml-1 text-[12px] font-normal text-check-text">this run</span>}
              </span>
              {alone && (
                <button
                  type="button"
                  onClick={() => cutOnly?.(step.kind)}
                  aria-label={`Cut only ${step.kind}`}
                  className={`absolute top-1/2 right-2 h-8 -translate-y-1/2 rounded-[5px] px-2 text-[12px] font-semibold ${whiteLook}`}
                >
                  Only this
                </button>
              )}
            </div>
          );
        })}
      </div>
      <div className="flex min-w-[110px] shrink-0 flex-col justify-center rounded-[7px] border border-rule bg-paper px-3">
        <span className="text-[12px] text-slate">Time, about</span>
        <span className="font-semibold">{clock(total)}</span>
      </div>
    </div>
  );
}
