import type { Schemas } from "../api/client";
import { FileLink } from "../ui/Button";
import { figure } from "../ui/units";

type Strip = Schemas["StripShown"];

const TONES = { good: "text-pine", look: "text-check-text", stop: "text-stop" };
const VERDICTS = { good: "as at the first print", look: "a little off the first print", stop: "not as at the first print" };

/** The colour strip of a print: a picture of it is taken in, and what it says beside the first print of the same designs. */
export function StripSeen({ name, strip, take, taking }: { name: string; strip: Strip; take: (file: File) => void; taking: boolean }) {
  return (
    <div className="mt-1.5 text-[12px]">
      <div className="flex items-baseline justify-between gap-2">
        <span className={strip.verdict ? TONES[strip.verdict] : "text-slate"}>{words(strip)}</span>
        <span className="shrink-0 whitespace-nowrap">
          <FileLink accept=".png,.jpg,.jpeg,.tif,.tiff" label={`Picture of the strip of ${name}`} take={take} disabled={taking}>
            {taking ? "Reading it" : strip.read ? "Another picture" : "Take in its picture"}
          </FileLink>
        </span>
      </div>
      {strip.patches.length > 0 && (
        <p className="text-slate">
          {strip.patches
            .slice(0, 3)
            .map((one) => `${one.patch} ${figure(one.delta, 1)}${leaning(one.lighter)}`)
            .join(", ")}
        </p>
      )}
    </div>
  );
}

/** A difference of lightness is told where it is one. */
const leaning = (lighter: number) => (Math.abs(lighter) < 1 ? "" : lighter > 0 ? " lighter" : " darker");

function words(strip: Strip): string {
  if (!strip.read) return "Colour strip: not looked at";
  if (!strip.verdict) return "Colour strip read: the first of these designs";
  return `Colours ${VERDICTS[strip.verdict]} (${strip.first}): ${figure(strip.mean ?? 0, 1)} ΔE`;
}
