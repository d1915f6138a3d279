import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import type { Run } from "../../api/useRun";
import { length, useUnit } from "../../ui/units";
import { type Blank, movedTo, type PutBlanks, withOne } from "./blanks";

type Props = {
  run: Run;
  bed: NonNullable<Run["bed"]>;
  chosen: number | null;
  choose: (index: number | null) => void;
  put: PutBlanks;
};
type Held = { index: number; dx: number; dy: number; blank: Blank };
/** How much more of the bed is seen than is used. */
const ROOM = 1.25;
const STEPS: Record<string, [number, number]> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };

/** The bed from above, its near edge on the left and its left edge on top, like the roll. Blanks are dragged, or moved by the arrows;
 * the chosen one is measured from both edges. */
export function BedStage({ run, bed, chosen, choose, put }: Props) {
  const places = run.document.bed.places;
  const stage = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState<Held | null>(null);
  const across = bed.across_mm;
  // of a long bed what is used, and room for more
  const furthest = Math.max(...places.map((blank) => blank.y_mm + blank.height_mm));
  const along = Math.min(bed.along_mm, Math.max(ROOM * furthest, ROOM * across));
  const longest = Math.max(along, across);
  const at = (event: PointerEvent): [number, number] => {
    const place = new DOMPoint(event.clientX, event.clientY).matrixTransform(stage.current?.getScreenCTM()?.inverse());
    return [place.y, place.x];
  };
  const seen = places.map((blank, index) => (held?.index === index ? held.blank : blank));
  const end = () => {
    const before = held && places[held.index];
    if (held && before && (before.x_mm !== held.blank.x_mm || before.y_mm !== held.blank.y_mm))
      put(
        `blank ${held.index + 1} moved`,
        withOne(held.index, () => held.blank),
      );
    setHeld(null);
  };
  const nudge = (index: number) => (event: KeyboardEvent) => {
    const step = STEPS[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    const by = event.shiftKey ? 10 : 1;
    put(
      `blank ${index + 1} moved`,
      withOne(index, (blank) => movedTo(blank, blank.x_mm + step[0] * by, blank.y_mm + step[1] * by, bed)),
    );
  };
  return (
    <div className="mt-2 min-h-0 flex-1">
      <svg
        ref={stage}
        viewBox={`${-0.05 * longest} ${-0.05 * longest} ${along + 0.1 * longest} ${across + 0.1 * longest}`}
        className="h-full w-full touch-none select-none"
        role="group"
        aria-label={`Bed with ${places.length} blanks`}
        onPointerDown={() => choose(null)}
        onDoubleClick={(event) => {
          const last = places.at(-1);
          if (!last || event.target !== event.currentTarget.querySelector("rect")) return;
          const place = new DOMPoint(event.clientX, event.clientY).matrixTransform(stage.current?.getScreenCTM()?.inverse());
          put("one more blank", (now) => [...now, movedTo(last, place.y - last.width_mm / 2, place.x - last.height_mm / 2, bed)]);
          choose(places.length);
        }}
        onPointerMove={(event) => {
          if (!held) return;
          const [x, y] = at(event);
          setHeld({ ...held, blank: movedTo(held.blank, x - held.dx, y - held.dy, bed) });
        }}
        onPointerUp={end}
      >
        <rect width={along} height={across} className="fill-paper stroke-slate" strokeWidth={1.5} vectorEffect="non-scaling-stroke" />
        {along < bed.along_mm && (
          <text x={along - longest / 100} y={across - longest / 100} textAnchor="end" fontSize={longest / 60} className="fill-slate">
            goes on ▸
          </text>
        )}
        <text y={-0.012 * longest} fontSize={longest / 55} className="fill-slate">
          ◂ near edge · left edge on top
        </text>
        {seen.map((blank, index) => (
          <BlankDrawn
            key={index}
            blank={blank}
            number={index + 1}
            words={wordsOf(run, blank)}
            letter={longest / 60}
            chosen={chosen === index}
            fault={bed.faults[String(index + 1)]}
            press={(event) => {
              event.stopPropagation();
              choose(index);
              const [x, y] = at(event);
              stage.current?.setPointerCapture(event.pointerId);
              setHeld({ index, dx: x - blank.x_mm, dy: y - blank.y_mm, blank });
            }}
            focus={() => choose(index)}
            nudge={nudge(index)}
          />
        ))}
        {chosen !== null && seen[chosen] && <Measured blank={seen[chosen]} letter={longest / 50} />}
      </svg>
    </div>
  );
}

const wordsOf = (run: Run, blank: Blank) => run.pieces.find((piece) => piece.design_id === blank.design_id)?.name ?? "any design";

type DrawnProps = {
  blank: Blank;
  number: number;
  words: string;
  letter: number;
  chosen: boolean;
  fault: string | undefined;
  press: (event: PointerEvent) => void;
  focus: () => void;
  nudge: (event: KeyboardEvent) => void;
};

function BlankDrawn({ blank, number, words, letter, chosen, fault, press, focus, nudge }: DrawnProps) {
  const [u, v, w, h] = [blank.y_mm, blank.x_mm, blank.height_mm, blank.width_mm];
  const high = Math.min(letter * 1.5, 0.4 * Math.min(w, h));
  const readable = words.length * 0.55 * letter < w && 4 * letter < h;
  const look = fault ? "fill-stop/10 stroke-stop" : chosen ? "fill-pine/10 stroke-ink" : "fill-white stroke-slate";
  const shape = { className: look, strokeWidth: chosen ? 2.5 : 1.2, vectorEffect: "non-scaling-stroke" as const };
  return (
    <g
      tabIndex={0}
      role="button"
      aria-pressed={chosen}
      aria-label={`Blank ${number}, ${words}${fault ? `: ${fault}` : ""}`}
      className="cursor-move outline-offset-2"
      onPointerDown={press}
      onFocus={focus}
      onKeyDown={nudge}
    >
      {blank.shape === "rectangle" ? (
        <rect x={u} y={v} width={w} height={h} {...shape} />
      ) : (
        <ellipse cx={u + w / 2} cy={v + h / 2} rx={w / 2} ry={h / 2} {...shape} />
      )}
      <text x={u + w / 2} y={v + h / 2 + (readable ? 0 : high / 3)} textAnchor="middle" fontSize={high} className="fill-ink font-semibold">
        {number}
        {fault ? " !" : ""}
      </text>
      {readable && (
        <text x={u + w / 2} y={v + h / 2 + letter * 1.4} textAnchor="middle" fontSize={letter} className="fill-slate">
          {words}
        </text>
      )}
    </g>
  );
}

/** How far the chosen blank lies from the left edge and from the near edge. */
function Measured({ blank, letter }: { blank: Blank; letter: number }) {
  const unit = useUnit((state) => state.unit);
  const [u, v] = [blank.y_mm + blank.height_mm / 2, blank.x_mm + blank.width_mm / 2];
  const line = { className: "stroke-pine", strokeWidth: 1.5, vectorEffect: "non-scaling-stroke" as const };
  // a casing of paper, so that it reads on blanks too
  const figure = { fontSize: letter, className: "fill-pine stroke-paper font-semibold", strokeWidth: letter / 4, paintOrder: "stroke" };
  return (
    <g aria-hidden="true" className="pointer-events-none">
      {blank.x_mm > 0 && <path d={`M${u} 0V${blank.x_mm}`} {...line} />}
      {blank.y_mm > 0 && <path d={`M0 ${v}H${blank.y_mm}`} {...line} />}
      <text x={u + letter * 0.4} y={Math.max(letter, blank.x_mm / 2)} {...figure}>
        {length(blank.x_mm, unit)} {unit}
      </text>
      <text x={letter * 0.3} y={v - letter * 0.4} {...figure}>
        {length(blank.y_mm, unit)} {unit}
      </text>
    </g>
  );
}
