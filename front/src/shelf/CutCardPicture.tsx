import type { Card, CutCard } from "./cards";
import { whiteLook } from "../ui/look";

const CHOSEN = "border-pine bg-pine font-semibold text-white";

/** What of a step is shown enlarged: how wide, and how far from its middle. Of a square the corner tells. */
const CROPS: Record<string, { mm: number; off: number }> = { knife: { mm: 5, off: 6 }, force: { mm: 17, off: 0 } };
const CROP_PX = 136;
/** Readings that are the number of a step, in a word. */
const OF_A_STEP: Record<string, string> = { best: "sharpest", lifts: "lifts", marks: "marks the liner" };

/**
 * Every step of a ladder enlarged, as the cutter's camera shows it, with what an eye may say of it. A card without a ladder is read by
 * rule or camera.
 */
export function CutCardPicture({
  card,
  cut,
  seen,
  readings,
  read,
}: {
  card: Card;
  cut: CutCard;
  /** Whether the cutter shows it; a real one leaves that to the eye. */
  seen: boolean;
  readings: Record<string, number>;
  read: (name: string, step: number) => void;
}) {
  const [left, bottom, right, top] = cut.box;
  const crop = CROPS[card.name];
  if (!crop) return <p className="text-slate">It lies on the cutter. Measure it, or let the camera read it.</p>;
  const scale = CROP_PX / crop.mm;
  return (
    <ol className="grid grid-cols-2 gap-x-2.5 gap-y-3" aria-label="Steps of the card">
      {cut.steps.map((step, index) => (
        <li key={step.words}>
          {seen && (
            <div
              role="img"
              aria-label={`Step ${index + 1}, ${step.words}`}
              className="rounded-[6px] border border-rule bg-white"
              style={{
                width: CROP_PX,
                height: CROP_PX,
                backgroundImage: `url(/api/room/cards/picture?${cut.made})`,
                backgroundSize: `${(right - left) * scale}px ${(top - bottom) * scale}px`,
                backgroundPosition: [step.x + crop.off - left, top - step.y - crop.off]
                  .map((mm) => `${-(mm - crop.mm / 2) * scale}px`)
                  .join(" "),
              }}
            />
          )}
          <div className="mt-1 flex flex-wrap items-center gap-x-1.5 text-[12px]">
            <b className="font-semibold">{index + 1}</b> {step.words}
          </div>
          <div className="mt-0.5 flex gap-1">
            {card.questions
              .filter(({ name }) => name in OF_A_STEP)
              .map(({ name }) => {
                const chosen = Math.round(readings[name] ?? 0) === index + 1;
                return (
                  <button
                    key={name}
                    type="button"
                    aria-pressed={chosen}
                    onClick={() => read(name, index + 1)}
                    className={`h-7 rounded-[5px] border px-1.5 text-[12px] ${chosen ? CHOSEN : whiteLook}`}
                  >
                    {OF_A_STEP[name]}
                  </button>
                );
              })}
          </div>
        </li>
      ))}
    </ol>
  );
}
