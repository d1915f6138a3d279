import type { BenchSheet } from "../api/useSheet";
import { Action } from "../ui/Button";

/** What became of what was under the knife when the cut was broken off: a person looks and says. */
type Props = { bench: BenchSheet; settle: (how: "cut" | "again" | "spoiled") => void; pending: boolean };

export function Doubt({ bench, settle, pending }: Props) {
  const pieces = bench.pieces.filter((piece) => piece.state === "doubtful").length;
  const certain = bench.tools.reduce((sum, step) => sum + step.done, 0);
  return (
    <section aria-label="In doubt" className="rounded-[8px] border-2 border-check bg-check-wash p-3.5">
      <p className="text-[18px] leading-6 font-semibold">
        Broken off. Look at {pieces === 1 ? "the piece" : `the ${pieces} pieces`} in amber
      </p>
      <p className="mt-1 mb-2.5">
        {certain} lines are cut for certain, {bench.doubtful} {bench.doubtful === 1 ? "was" : "were"} under the knife,{" "}
        {bench.left - bench.doubtful} are untouched. Nothing goes on before you say what you see.
      </p>
      <div className="flex flex-col gap-1.5">
        <Action onClick={() => settle("cut")} disabled={pending}>
          They are cut: go on without them
        </Action>
        <Action onClick={() => settle("again")} disabled={pending}>
          They are not: cut them again
        </Action>
        <Action onClick={() => settle("spoiled")} disabled={pending}>
          They are spoiled: leave them
        </Action>
      </div>
    </section>
  );
}
