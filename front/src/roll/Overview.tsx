import { type PointerEvent, useRef } from "react";
import { length, useUnit } from "../ui/units";
import { frameStarts, type Run } from "./scene";

const PINE_RIM = "text-pine ring-1 ring-pine ring-inset";

/** The run within what is left of its roll; the stretch in view is framed, a press or a drag moves it. */
export function Overview({ run, seen, goTo }: { run: Run; seen: [number, number]; goTo: (mm: number) => void }) {
  const unit = useUnit((state) => state.unit);
  const strip = useRef<HTMLDivElement>(null);
  const end = frameStarts(run).at(-1) ?? 0;
  const whole = Math.max(run.roll_left_mm, end, 1);
  // while the run is a sliver of the roll the strip shows the run itself, three times its length
  const shown = end ? Math.min(whole, 3 * end) : whole;
  const share = (mm: number) => `${(100 * mm) / shown}%`;
  const follow = (event: PointerEvent) => {
    const area = strip.current?.getBoundingClientRect();
    if (area && (event.buttons & 1 || event.type === "pointerdown")) goTo(((event.clientX - area.left) / area.width) * shown);
  };
  const from = Math.max(0, Math.min(seen[0], shown));
  const to = Math.max(from, Math.min(seen[1], shown));
  return (
    <div
      ref={strip}
      aria-label="Overview"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        follow(event);
      }}
      onPointerMove={follow}
      className="relative mt-2 h-[38px] cursor-pointer touch-none overflow-hidden rounded-[6px] border border-rule bg-paper"
    >
      {partsOf(run).map(({ what, number, code, from, long }, _, all) => (
        <div
          key={number}
          className={`absolute inset-y-1 flex items-center overflow-hidden bg-pine-wash px-2 font-semibold whitespace-nowrap ${PINE_RIM}`}
          style={{ left: share(from), width: share(long) }}
          title={`${what === "bed" ? "Bed" : "Frame"} ${number}${code}, ${length(long, unit, 0)} ${unit}`}
        >
          {all.length < 5 ? `${what} ` : ""}
          {number}
        </div>
      ))}
      <div className="absolute inset-y-0 rounded-[5px] border-2 border-ink" style={{ left: share(from), width: share(to - from) }} />
      {/* beside the frames, where there is room for it; the roll itself tells it too */}
      {end < 0.75 * shown && (
        <span className="absolute inset-y-0 right-2 flex items-center bg-paper/80 px-1 text-[12px] text-slate">
          roll {length(run.roll_left_mm, unit, 0)} {unit} left
        </span>
      )}
    </div>
  );
}

/** The frames along the roll; of blanks that are frames of their own their beds. */
function partsOf(run: Run) {
  const starts = frameStarts(run);
  return run.plans.flatMap(({ lies, code, length_mm }, index) => {
    const from = (starts[index] ?? 0) - (lies?.y_mm ?? 0);
    if (!lies) return [{ what: "frame", number: index + 1, code: `, code ${code}`, from, long: length_mm }];
    const isFirst = lies.bed !== run.plans[index - 1]?.lies?.bed;
    return isFirst ? [{ what: "bed", number: lies.bed, code: "", from, long: lies.length_mm }] : [];
  });
}
