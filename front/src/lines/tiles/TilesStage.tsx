import { type PointerEvent, useRef, useState } from "react";
import type { Area, Shown, Tile } from "../../api/useTiles";
import { length, useUnit } from "../../ui/units";
import { pictureOf } from "../seen";
import type { Drawing } from "./TilesStation";

type Props = { station: Shown; tint: boolean; drawing: Drawing; drawn: () => void };
type Axis = "across" | "along";
type Place = [number, number];

const tenth = (value: number) => Number(value.toFixed(1));

/** The whole graphic with its seams, measured from its left edge and from its foot, and every tile with its number. */
export function TilesStage({ station, tint, drawing, drawn }: Props) {
  const { design, tiles, change } = station;
  const [wide, high] = [design.document.width_mm ?? 0, design.height_mm ?? 0];
  const stage = useRef<SVGSVGElement>(null);
  const [moved, setMoved] = useState<{ axis: Axis; index: number; at: number } | null>(null);
  const [from, setFrom] = useState<{ begun: Place; now: Place } | null>(null);
  const unit = useUnit((state) => state.unit);
  if (!wide || !high)
    return (
      <div className="flex min-h-0 flex-1 items-center justify-center rounded-[4px] border border-rule bg-white">
        Type the width of the art in Lines first.
      </div>
    );
  const longest = Math.max(wide, high);
  const room = longest * 0.06;
  const at = (event: PointerEvent): Place => {
    const place = new DOMPoint(event.clientX, event.clientY).matrixTransform(stage.current?.getScreenCTM()?.inverse());
    return [Math.min(wide, Math.max(0, place.x)), Math.min(high, Math.max(0, high - place.y))];
  };
  const seams = (axis: Axis) => tiles[axis].map((one, index) => (moved?.axis === axis && moved.index === index ? moved.at : one));
  const drag = (event: PointerEvent) => {
    if (moved) setMoved({ ...moved, at: tenth(at(event)[moved.axis === "across" ? 0 : 1]) });
    else if (from) setFrom({ ...from, now: at(event) });
  };
  const end = () => {
    if (moved) change("seam moved", { [moved.axis]: seams(moved.axis) });
    setMoved(null);
    if (from && drawing && tiles.document) {
      const area = areaOf(from.begun, from.now);
      if (Math.min(area[2], area[3]) > longest / 200)
        change(drawing === "keep" ? "kept whole" : "left out", { [drawing]: [...tiles.document[drawing], area] });
      drawn();
    }
    setFrom(null);
  };
  const box = from && areaOf(from.begun, from.now);
  return (
    <div className="min-h-0 flex-1 overflow-hidden rounded-[4px] border border-rule bg-white">
      <svg
        ref={stage}
        viewBox={`${-room} ${-room / 3} ${wide + 1.4 * room} ${high + 1.4 * room}`}
        className={`h-full w-full touch-none select-none ${drawing ? "cursor-crosshair" : ""}`}
        role="group"
        aria-label={`${design.document.name} in ${tiles.tiles.length} tiles`}
        onPointerDown={(event) => drawing && setFrom({ begun: at(event), now: at(event) })}
        onPointerMove={drag}
        onPointerUp={end}
      >
        <image href={pictureOf(design, true)} width={wide} height={high} preserveAspectRatio="none" />
        {tint && <image href={`/api/tiles/${design.id}/tint.png`} width={wide} height={high} preserveAspectRatio="none" />}
        <rect width={wide} height={high} className="fill-none stroke-ink" strokeWidth={1} vectorEffect="non-scaling-stroke" />
        <g className={drawing ? "pointer-events-none" : ""}>
          {tiles.tiles.map((tile) => (
            <TileDrawn
              key={tile.number}
              tile={tile}
              letter={longest / 45}
              size={`${length(tile.width_mm, unit, 0)} × ${length(tile.height_mm, unit, 0)} ${unit}`}
              press={() =>
                change(tile.off ? `tile ${tile.number} put back` : `tile ${tile.number} lifted off`, { off: toggled(tiles.tiles, tile) })
              }
            />
          ))}
        </g>
        {(tiles.document?.openings ?? []).map((area, index) => (
          <AreaDrawn key={index} area={area} high={high} look="fill-felt stroke-kraft" />
        ))}
        {(tiles.document?.keep ?? []).map((area, index) => (
          <AreaDrawn key={index} area={area} high={high} look="fill-none stroke-ink" />
        ))}
        {(tiles.document?.faces ?? []).map((area, index) => (
          <AreaDrawn key={index} area={area} high={high} look="fill-none stroke-ink" dashed />
        ))}
        {box && <AreaDrawn area={box} high={high} look="fill-pine/15 stroke-pine" />}
        {(["across", "along"] as const).map((axis) =>
          seams(axis).map((place, index) => (
            <Seam
              key={`${axis} ${index}`}
              axis={axis}
              place={place}
              size={[wide, high]}
              room={room}
              words={length(place, unit, 1)}
              quiet={drawing !== null}
              begin={(event) => {
                event.stopPropagation();
                event.currentTarget.setPointerCapture(event.pointerId);
                setMoved({ axis, index, at: place });
              }}
            />
          )),
        )}
      </svg>
    </div>
  );
}

const areaOf = ([x0, y0]: Place, [x1, y1]: Place): Area => [
  tenth(Math.min(x0, x1)),
  tenth(Math.min(y0, y1)),
  tenth(Math.abs(x1 - x0)),
  tenth(Math.abs(y1 - y0)),
];

const toggled = (all: Tile[], tile: Tile) =>
  all.filter((one) => (one.number === tile.number ? !one.off : one.off)).map(({ number }) => number);

/** A tile: its cut, its number and its size; one that is lifted off leaves the bare wall. */
function TileDrawn({ tile, letter, size, press }: { tile: Tile; letter: number; size: string; press: () => void }) {
  const radius = Math.min(letter * 1.3, 0.3 * Math.min(tile.width_mm, tile.height_mm));
  const [left, top, wide] = tile.box;
  const [x, y] = [left + wide / 2, top + 1.4 * radius]; // at its head: the art round its middle is what a seam is judged by
  const words = Math.min(letter * 0.8, (0.9 * tile.width_mm) / (0.6 * size.length));
  return (
    <g
      role="button"
      tabIndex={0}
      aria-pressed={!tile.off}
      aria-label={`Tile ${tile.number}, ${size}${tile.off ? ", lifted off" : ""}`}
      onClick={press}
      onKeyDown={(event) => {
        if (event.key !== " ") return;
        event.preventDefault();
        press();
      }}
      className="group cursor-pointer outline-none"
    >
      <path
        d={tile.d}
        fillRule="evenodd"
        className={`${tile.off ? "fill-felt" : "fill-transparent"} stroke-ink group-focus-visible:stroke-pine`}
        strokeWidth={tile.off ? 0.75 : 1.5}
        vectorEffect="non-scaling-stroke"
      />
      <circle
        cx={x}
        cy={y}
        r={radius}
        className={`${tile.off ? "fill-felt stroke-rule" : "fill-paper stroke-ink"}`}
        strokeWidth={letter / 16}
      />
      <text
        x={x}
        y={y + 0.36 * radius}
        textAnchor="middle"
        fontSize={radius}
        fontWeight={700}
        className={tile.off ? "fill-slate" : "fill-ink"}
      >
        {tile.number}
      </text>
      <rect
        x={x - 0.3 * words * size.length}
        y={y + radius + 0.2 * words}
        width={0.6 * words * size.length}
        height={1.4 * words}
        rx={words / 4}
        className={tile.off ? "fill-felt" : "fill-paper"}
      />
      <text x={x} y={y + radius + 1.2 * words} textAnchor="middle" fontSize={words} className="fill-ink">
        {tile.off ? "lifted off" : size}
      </text>
    </g>
  );
}

function AreaDrawn({ area: [x, y, width, height], high, look, dashed }: { area: Area; high: number; look: string; dashed?: boolean }) {
  return (
    <rect
      x={x}
      y={high - y - height}
      width={width}
      height={height}
      className={`pointer-events-none ${look}`}
      strokeWidth={1.5}
      strokeDasharray={dashed ? "6 4" : undefined}
      vectorEffect="non-scaling-stroke"
    />
  );
}

type SeamProps = {
  axis: Axis;
  place: number;
  size: Place;
  room: number;
  words: string;
  quiet: boolean;
  begin: (event: PointerEvent<SVGElement>) => void;
};

/** A seam: its line, wide enough to be taken hold of, and where it stands. */
function Seam({ axis, place, size: [wide, high], room, words, quiet, begin }: SeamProps) {
  const upright = axis === "across";
  const line = upright ? `M${place} 0V${high + room / 4}` : `M${-room / 4} ${high - place}H${wide}`;
  const letter = room / 4;
  return (
    <g className={quiet ? "pointer-events-none" : upright ? "cursor-ew-resize" : "cursor-ns-resize"} onPointerDown={begin}>
      <path d={line} className="stroke-transparent" strokeWidth={14} vectorEffect="non-scaling-stroke" />
      <path d={line} className="stroke-pine" strokeWidth={2} vectorEffect="non-scaling-stroke" />
      <text
        x={upright ? place : -room / 4 - letter / 4}
        y={upright ? high + room / 4 + letter * 1.1 : high - place + letter / 3}
        textAnchor={upright ? "middle" : "end"}
        fontSize={letter}
        fontWeight={600}
        className="fill-pine"
      >
        {words}
      </text>
    </g>
  );
}
