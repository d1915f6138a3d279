import { type PointerEvent, useRef, useState } from "react";
import type { Field } from "../../api/useRows";
import { LinePaths } from "../LinePaths";
import { pictureOf } from "../seen";
import type { Shown } from "./RowsStation";

type Box = Pick<Field, "x_mm" | "y_mm" | "width_mm" | "height_mm">;
type Props = { station: Shown; row: number; chosen: number | null; choose: (index: number | null) => void };

/** About as wide as the stage is: lines are drawn as thick as elsewhere. */
const STAGE_PX = 800;

const tenth = (value: number) => Number(value.toFixed(1));

/** The art with what is filled in for a row, as it prints, and the box of every field. */
export function FieldsOnArt({ station, row, chosen, choose }: Props) {
  const { design, rows, put, seen } = station;
  const [wide, high] = [design.document.width_mm ?? 0, design.height_mm ?? 0];
  const stage = useRef<SVGSVGElement>(null);
  const [moved, setMoved] = useState<{ index: number; box: Box } | null>(null);
  const begun = useRef<{ index: number; grip: boolean; from: [number, number]; box: Box } | null>(null);
  if (!wide || !high)
    return (
      <div className="flex min-h-0 flex-1 items-center justify-center rounded-[4px] border border-rule bg-white">
        Type the width of the art in Lines first.
      </div>
    );
  const at = (event: PointerEvent): [number, number] => {
    const place = new DOMPoint(event.clientX, event.clientY).matrixTransform(stage.current?.getScreenCTM()?.inverse());
    return [place.x, high - place.y];
  };
  const begin = (index: number, grip: boolean) => (event: PointerEvent<SVGElement>) => {
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    choose(index);
    begun.current = { index, grip, from: at(event), box: rows.fields[index]! };
  };
  const drag = (event: PointerEvent) => {
    const held = begun.current;
    if (!held) return;
    const [x, y] = at(event);
    const [dx, dy] = [x - held.from[0], y - held.from[1]];
    if (!moved && Math.hypot(dx, dy) < wide / 300) return;
    const box = held.box;
    const next = held.grip
      ? {
          x_mm: box.x_mm,
          y_mm: tenth(box.y_mm + dy),
          width_mm: tenth(Math.max(1, box.width_mm + dx)),
          height_mm: tenth(Math.max(1, box.height_mm - dy)),
        }
      : { x_mm: tenth(box.x_mm + dx), y_mm: tenth(box.y_mm + dy), width_mm: box.width_mm, height_mm: box.height_mm };
    setMoved({ index: held.index, box: next });
  };
  const end = () => {
    begun.current = null;
    if (!moved) return;
    const { index, box } = moved;
    put(`${rows.fields[index]!.name} moved`, { fields: rows.fields.map((one, at) => (at === index ? { ...one, ...box } : one)) });
    setMoved(null);
  };
  const bad = new Set(seen?.troubles.map((one) => one.field));
  const margin = Math.max(wide, high) * 0.03;
  // with bleed the print is larger than the art
  const [left = 0, low = 0, printWide = wide, printHigh = high] = design.lines ? (design.summary?.bleed?.box ?? []) : [];
  return (
    <div className="min-h-0 flex-1 overflow-hidden rounded-[4px] border border-rule bg-white">
      <svg
        ref={stage}
        viewBox={`${-margin} ${-margin} ${wide + 2 * margin} ${high + 2 * margin}`}
        className="h-full w-full touch-none select-none"
        role="group"
        aria-label={`Row ${row} on the art`}
        onPointerDown={() => choose(null)}
        onPointerMove={drag}
        onPointerUp={end}
      >
        <image
          href={pictureOf(design, true)}
          x={left}
          y={high - low - printHigh}
          width={printWide}
          height={printHigh}
          preserveAspectRatio="none"
        />
        <image href={`/api/rows/${design.id}/${row}/picture?of=${design.revision}`} width={wide} height={high} preserveAspectRatio="none" />
        <rect width={wide} height={high} fill="none" className="stroke-rule" strokeWidth={1} vectorEffect="non-scaling-stroke" />
        <g className="pointer-events-none" opacity={0.7}>
          <LinePaths lines={design.lines ?? []} scale={STAGE_PX / (wide + 2 * margin)} />
        </g>
        {rows.fields.map((field, index) => {
          const box = moved?.index === index ? moved.box : field;
          const look = bad.has(field.name) ? "stroke-stop" : chosen === index ? "stroke-pine" : "stroke-slate";
          const [middle, across] = [high - box.y_mm - box.height_mm / 2, box.x_mm + box.width_mm / 2];
          return (
            <g key={index} transform={`rotate(${-field.turn_deg} ${across} ${middle})`}>
              <rect
                role="button"
                tabIndex={0}
                aria-label={`${field.name}${bad.has(field.name) ? ", does not fit" : ""}`}
                aria-pressed={chosen === index}
                x={box.x_mm}
                y={high - box.y_mm - box.height_mm}
                width={box.width_mm}
                height={box.height_mm}
                fill="transparent"
                className={`cursor-move outline-none ${look}`}
                strokeWidth={chosen === index ? 2 : 1}
                strokeDasharray={chosen === index ? undefined : "3 3"}
                vectorEffect="non-scaling-stroke"
                onPointerDown={begin(index, false)}
                onFocus={() => choose(index)}
              />
              {chosen === index && field.turn_deg === 0 && (
                <rect
                  x={box.x_mm + box.width_mm - margin * 0.25}
                  y={high - box.y_mm - margin * 0.25}
                  width={margin * 0.5}
                  height={margin * 0.5}
                  className="cursor-nwse-resize fill-pine"
                  onPointerDown={begin(index, true)}
                />
              )}
            </g>
          );
        })}
      </svg>
    </div>
  );
}
