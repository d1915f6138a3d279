import { memo, useMemo, useState } from "react";
import type { Schemas } from "../api/client";

type Line = Pick<Schemas["LineShown"], "kind" | "d">;

/** Finish lines in the line code: colour and stroke together, on a white casing. `scale` is pixels a millimetre. */
const CODE: Record<string, { colour: string; dash?: number[]; width: number; cap?: "round" }> = {
  kiss: { colour: "var(--color-kiss)", width: 1.8 },
  through: { colour: "var(--color-through)", width: 3.4 },
  perforation: { colour: "var(--color-perforation)", width: 1.8, dash: [10, 5] },
  crease: { colour: "var(--color-crease)", width: 2.6, dash: [0.1, 5], cap: "round" },
  score: { colour: "var(--color-score)", width: 1.8, dash: [9, 4, 1.5, 4] },
  pen: { colour: "var(--color-pen)", width: 1 },
};

export const LinePaths = memo(function LinePaths({
  lines,
  scale,
  faded,
  chosen,
  choose,
  move,
}: {
  lines: Line[];
  scale: number;
  faded?: boolean;
  chosen?: number | null;
  choose?: (index: number) => void;
  move?: (right: number, up: number) => void;
}) {
  const px = (value: number) => value / scale;
  // thinned anew only when the scale has doubled: nodes closer than a pixel cannot be told apart
  const step = 0.6 / 2 ** Math.ceil(Math.log2(scale));
  const paths = useMemo(() => lines.map((line) => thinned(line.d, step)), [lines, step]);
  return (
    <g fill="none" strokeLinejoin="round" opacity={faded ? 0.4 : 1}>
      {paths.map((d, index) => (
        <path key={index} d={d} stroke="white" strokeWidth={px(5)} opacity={0.85} />
      ))}
      {lines.map((line, index) => {
        const code = CODE[line.kind] ?? CODE.kiss;
        if (!code) return null;
        const d = paths[index];
        return (
          <g key={index} data-testid="finish-line">
            <path
              d={d}
              stroke={code.colour}
              strokeWidth={px(code.width)}
              strokeDasharray={code.dash?.map(px).join(" ")}
              strokeLinecap={code.cap}
            />
            {line.kind === "through" && <path d={d} stroke="white" strokeWidth={px(1.4)} />}
            {chosen === index && <path d={d} stroke="var(--color-ink)" strokeWidth={px(9)} opacity={0.18} />}
            {choose && (chosen !== index || !move) && (
              <path
                d={d}
                stroke="black"
                strokeWidth={px(14)}
                opacity={0}
                pointerEvents="stroke"
                className="cursor-pointer"
                onClick={() => choose(index)}
                // as by the pointer: reached by Tab, chosen by Enter or Space
                role="button"
                tabIndex={0}
                aria-label={`${line.kind} line ${index + 1}`}
                aria-pressed={chosen === index}
                onKeyDown={(event) => {
                  if (event.key !== "Enter" && event.key !== " ") return;
                  event.preventDefault();
                  event.stopPropagation();
                  choose(index);
                }}
              />
            )}
            {chosen === index && move && d && <Movable d={d} scale={scale} colour={code.colour} move={move} />}
          </g>
        );
      })}
    </g>
  );
});

/** The chosen line under the hand: dragged, it is moved; what lies under it stays until the exact line has come. */
function Movable({ d, scale, colour, move }: { d: string; scale: number; colour: string; move: (right: number, up: number) => void }) {
  const [from, setFrom] = useState<[number, number] | null>(null);
  const [by, setBy] = useState<[number, number]>([0, 0]);
  const width = { grip: 14 / scale, drawn: 1.8 / scale };
  return (
    <>
      {from && <path d={d} stroke={colour} strokeWidth={width.drawn} transform={`translate(${by[0]} ${by[1]})`} />}
      <path
        d={d}
        data-still
        data-testid="chosen-line"
        stroke="black"
        strokeWidth={width.grip}
        opacity={0}
        pointerEvents="stroke"
        className="cursor-move"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setFrom([event.clientX, event.clientY]);
          setBy([0, 0]);
        }}
        onPointerMove={(event) => from && setBy([(event.clientX - from[0]) / scale, (event.clientY - from[1]) / scale])}
        onPointerUp={() => {
          if (from && Math.hypot(...by) * scale > 3) move(by[0], -by[1]);
          setFrom(null);
        }}
      />
    </>
  );
}

const FEW_NODES = 400;

/** Path data (absolute M, L, C, Z) without the nodes that follow nearer than `step` on the last one kept; a short path
 * is left as it is. */
export function thinned(d: string, step: number): string {
  const parts = d.match(/[MLCZ][^MLCZ]*/g) ?? [];
  const kept: string[] = [];
  let nodes = 0;
  let x = 0;
  let y = 0;
  for (const part of parts) {
    const numbers =
      part
        .slice(1)
        .match(/-?[\d.]+(?:e-?\d+)?/gi)
        ?.map(Number) ?? [];
    const letter = part[0];
    const size = letter === "C" ? 6 : 2;
    if (letter === "Z") kept.push("Z");
    if (letter === "M") {
      [x = 0, y = 0] = numbers;
      kept.push(`M${x} ${y}`);
    }
    for (let at = letter === "M" ? 2 : 0; at + size <= numbers.length; at += size) {
      nodes += 1;
      const [endX = 0, endY = 0] = numbers.slice(at + size - 2, at + size);
      if (Math.abs(endX - x) < step && Math.abs(endY - y) < step) continue;
      kept.push(`${letter === "M" ? "L" : letter}${numbers.slice(at, at + size).join(" ")}`);
      x = endX;
      y = endY;
    }
  }
  return nodes <= FEW_NODES ? d : kept.join("");
}

export function LineSample({ kind }: { kind: Schemas["LineShown"]["kind"] }) {
  return (
    <svg width="44" height="8" aria-hidden="true" className="mr-2.5 inline-block">
      <LinePaths lines={[{ kind, d: "M0,4L44,4" }]} scale={1} />
    </svg>
  );
}
