import { useRef, useState } from "react";
import { type BenchSheet, type End } from "../api/useSheet";
import { useKeys } from "../ui/keys";
import { useSize, useZoom } from "../ui/zoom";
import { MarkArrow, Mesh, movedAt, STRONGER, type Turn } from "./Moved";
import { RollerStrips } from "./Rollers";

type Box = [number, number, number, number];
/** Room beside the sheet for words, in pixels. */
const BESIDE = 30;
const PIECE_LOOKS = {
  due: ["transparent", "var(--color-kiss-faint)"],
  cut: ["var(--color-go-faint)", "var(--color-go)"],
  doubtful: ["var(--color-check-faint)", "var(--color-check)"],
  spoiled: ["var(--color-stop-faint)", "var(--color-stop)"],
} as const;

type Props = { bench: BenchSheet; end: End; chosen: ReadonlySet<number>; toggle: (pieces: number[]) => void };

/** The sheet as it lies or has to be laid: the knife on the left, the end that went in first beside it. */
export function SheetView({ bench, end, chosen, toggle }: Props) {
  const frame = useRef<SVGSVGElement>(null);
  const inner = useRef<SVGGElement>(null);
  const [width, height] = useSize(frame);
  const { transform, fit } = useZoom(frame, 60);
  useKeys({ "0": fit });
  const { reading, sheet } = bench;
  const [long, across] = [sheet.length_mm, sheet.width_mm];
  const scaleOf = (wide: number, high: number) => Math.max(0.001, Math.min((width - 2 * BESIDE) / wide, (height - 2 * BESIDE) / high));
  // a sheet that is wider than long is shown a quarter turned, the knife above it, where that makes it larger
  const quarter = scaleOf(across, long) > 1.15 * scaleOf(long, across);
  const [wide, high] = quarter ? [across, long] : [long, across];
  const base = scaleOf(wide, high);
  const [left, top] = [(width - wide * base) / 2, (height - high * base) / 2];
  const px = (value: number) => value / (base * transform.k);
  // run (x, y) lies at (y, x); loaded tail first, everything is turned by half about the middle of the sheet
  const place: Turn = (x, y) => (end === "tail" ? [long - y, across - x] : [y, x]);
  const turn: Turn = (dx, dy) => (end === "tail" ? [-dy, -dx] : [dy, dx]);
  const onSheet = (event: React.PointerEvent): [number, number] => {
    const matrix = inner.current?.getScreenCTM()?.inverse();
    if (!matrix) return [0, 0];
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix);
    return [at.x, at.y];
  };
  const { box, ...boxing } = useBox(onSheet, (drawn) => toggle(piecesIn(bench, drawn, place)));
  return (
    <div className="flex h-full flex-col">
      <p className={`px-6 pt-2.5 text-[12px] text-ink ${quarter ? "text-center" : ""}`}>{quarter ? "▴" : "◂"} the knife's side</p>
      <svg
        ref={frame}
        role="group"
        aria-label={`Sheet ${sheet.name}, ${end} first`}
        className="min-h-0 w-full flex-1 touch-none"
        {...boxing}
      >
        <g
          ref={inner}
          transform={`${transform.toString()} translate(${left},${top}) scale(${base}) ${quarter ? `matrix(0,1,-1,0,${across},0)` : ""}`}
        >
          <rect width={long} height={across} fill="white" stroke="var(--color-table-edge)" strokeWidth={px(1)} />
          <g transform={end === "tail" ? `matrix(0,-1,1,0,0,${across})` : `matrix(0,1,-1,0,${long},0)`}>
            <image href={bench.preview} width={across} height={long} preserveAspectRatio="none" opacity={reading ? 0.75 : 1} />
          </g>
          <RollerStrips bench={bench} end={end} place={place} />
          {!isLaid(bench) && <HowToLay bench={bench} place={place} px={px} />}
          {reading && <Mesh reading={reading} tolerance={bench.tolerance_mm} place={place} turn={turn} px={px} />}
          <Pieces bench={bench} chosen={chosen} toggle={toggle} place={place} px={px} />
          <Marks bench={bench} place={place} turn={turn} px={px} quarter={quarter} />
          {box && <rect {...rectOf(box)} fill="var(--color-ink)" fillOpacity={0.08} stroke="var(--color-ink)" strokeWidth={px(1)} />}
        </g>
      </svg>
      <Beside bench={bench} end={end} />
    </div>
  );
}

const isLaid = ({ sheet }: BenchSheet) => ["loaded", "read", "cut"].includes(sheet.state);
const rectOf = ([x0, y0, x1, y1]: Box) => ({
  x: Math.min(x0, x1),
  y: Math.min(y0, y1),
  width: Math.abs(x1 - x0),
  height: Math.abs(y1 - y0),
});

/** Shift and drag draw a box; what lies in it when it is let go is meant. */
function useBox(onSheet: (event: React.PointerEvent) => [number, number], done: (box: Box) => void) {
  const [box, setBox] = useState<Box | null>(null);
  return {
    box,
    onPointerDownCapture: (event: React.PointerEvent<SVGSVGElement>) => {
      if (!event.shiftKey) return;
      event.stopPropagation();
      event.preventDefault();
      event.currentTarget.setPointerCapture(event.pointerId);
      const [u, v] = onSheet(event);
      setBox([u, v, u, v]);
    },
    onPointerMove: (event: React.PointerEvent) => box && setBox([box[0], box[1], ...onSheet(event)]),
    onPointerUp: () => {
      if (box) done(box);
      setBox(null);
    },
  };
}

function piecesIn(bench: BenchSheet, box: Box, place: Turn): number[] {
  const { x, y, width, height } = rectOf(box);
  const within = ([u, v]: [number, number]) => u >= x && u <= x + width && v >= y && v <= y + height;
  return bench.pieces.filter(({ outline }) => outline.every((point) => within(place(...point)))).map(({ number }) => number);
}

type PiecesProps = Pick<Props, "bench" | "chosen" | "toggle"> & { place: Turn; px: (value: number) => number };

/** Every piece can be reached by Tab and chosen by Space, as by a click. */
function Pieces({ bench, chosen, toggle, place, px }: PiecesProps) {
  return bench.pieces.map((piece) => {
    const [fill, stroke] = PIECE_LOOKS[piece.state];
    const picked = chosen.has(piece.number);
    const points = piece.outline.map((point) => place(...point).map((value) => value.toFixed(1)));
    return (
      <polygon
        key={piece.number}
        data-piece={piece.number}
        role="checkbox"
        aria-checked={picked || piece.state === "spoiled"}
        aria-label={`Piece ${piece.number}, ${piece.name}${piece.row ? `, row ${piece.row}` : ""}, ${piece.state}`}
        tabIndex={0}
        points={points.map((point) => point.join(",")).join(" ")}
        fill={fill}
        stroke={picked ? "var(--color-ink)" : stroke}
        strokeWidth={px(picked ? 3 : 1.2)}
        className="cursor-pointer"
        onClick={(event) => !event.shiftKey && toggle([piece.number])}
        onKeyDown={(event) => {
          if (event.key !== " ") return;
          event.preventDefault();
          toggle([piece.number]);
        }}
      />
    );
  });
}

type MarksProps = { bench: BenchSheet; place: Turn; turn: Turn; px: (value: number) => number; quarter: boolean };

/** The marks, each with the way it has moved; what is wrong with one stands beside the sheet, with a line to it. */
function Marks({ bench: { plan, reading, sheet, pointing }, place, turn, px, quarter }: MarksProps) {
  return plan.marks.map((mark) => {
    const read = reading?.marks.find((one) => one.id === mark.id);
    const leftOver = reading?.fit.residuals.find((one) => one.id === mark.id);
    const [u, v] = place(mark.x, mark.y);
    // while hands still show the cutter one mark after the other, none is missing yet
    const missing = reading !== null && !read?.measured && !pointing?.next;
    const wrong = missing ? "not read" : leftOver && !leftOver.used ? "left out" : "";
    const above = v < sheet.width_mm / 2;
    const aside = above ? -px(10) : sheet.width_mm + px(quarter ? 10 : 20);
    const anchor = quarter ? (above ? "start" : "end") : "middle";
    return (
      <g key={mark.id} pointerEvents="none">
        <circle
          cx={u}
          cy={v}
          r={Math.max(plan.size_mm / 2, px(4))}
          fill={missing ? "none" : "var(--color-ink)"}
          stroke={missing ? "var(--color-stop)" : "none"}
          strokeWidth={px(2)}
        />
        {pointing?.next === mark.id && (
          <circle data-asked={mark.id} cx={u} cy={v} r={px(15)} fill="none" stroke="var(--color-pine)" strokeWidth={px(4)} />
        )}
        {read?.measured && <MarkArrow at={[u, v]} moved={movedAt(reading, mark, turn)} px={px} />}
        {wrong && (
          <>
            <line x1={u} y1={v} x2={u} y2={above ? -px(6) : sheet.width_mm + px(6)} stroke="var(--color-stop)" strokeWidth={px(1)} />
            <text
              x={u}
              y={aside}
              transform={quarter ? `rotate(-90 ${u} ${aside})` : undefined}
              textAnchor={anchor}
              fontSize={px(12)}
              fontWeight={600}
              fill="var(--color-stop)"
            >
              mark {mark.id} {wrong}
            </text>
          </>
        )}
      </g>
    );
  });
}

/** Where the marks have to lie and where the head waits, before anything is on the cutter; the words stand below the sheet. */
function HowToLay({ bench: { plan, head_waits, sheet }, place, px }: { bench: BenchSheet; place: Turn; px: (value: number) => number }) {
  const rows = [...new Set(plan.marks.map(({ x }) => Math.round(x)))].sort((one, other) => one - other);
  const sides = rows.length > 1 ? [rows[0] ?? 0, rows[rows.length - 1] ?? 0] : rows;
  const [u, v] = [head_waits[1], head_waits[0]];
  return (
    <g pointerEvents="none">
      {sides.map((x) => (
        <rect
          key={x}
          y={place(x, 0)[1] - plan.size_mm}
          width={sheet.length_mm}
          height={2 * plan.size_mm}
          fill="var(--color-kraft)"
          opacity={0.28}
        />
      ))}
      <g stroke="var(--color-pine)" strokeWidth={px(2.5)} fill="none">
        <circle cx={u} cy={v} r={px(13)} fill="var(--color-paper)" fillOpacity={0.7} />
        <path d={`M${u - px(20)},${v}H${u + px(20)}M${u},${v - px(20)}V${v + px(20)}`} />
      </g>
    </g>
  );
}

/** Below the sheet: the table with the sheet on it, and what the picture shows. */
function Beside({ bench, end }: { bench: BenchSheet; end: End }) {
  const { sheet, reading, report } = bench;
  const scale = Math.min(84 / sheet.length_mm, 26 / sheet.width_mm);
  const [long, across] = [sheet.length_mm * scale, sheet.width_mm * scale];
  const lines = !isLaid(bench)
    ? ["circle: where the head waits · bands: the marks lie over the cutting strip", `${end} first, printed side up`]
    : sheet.state === "cut" && !report
      ? ["as it was printed", "click a piece that is spoiled"]
      : reading
        ? [
            `movement drawn ${STRONGER} times larger · tint: where the cut may miss most`,
            `wheel to zoom, drag to pan, click a piece ${sheet.state === "cut" ? "that is spoiled" : "to choose it"}`,
          ]
        : [`${end} first, printed side up`, "wheel to zoom, drag to pan"];
  return (
    <div className="flex items-center gap-5 px-6 pb-3.5">
      <div className="flex items-center gap-2 rounded-[6px] border border-table-edge bg-felt px-2 py-1.5 text-[12px] text-slate">
        <svg width="112" height="32" aria-hidden="true">
          <rect width="112" height="32" fill="var(--color-table-edge)" opacity="0.55" />
          <rect x="2" width="3" height="32" fill="var(--color-slate)" />
          {isLaid(bench) && <rect x="9" y={16 - across / 2} width={long} height={across} fill="white" />}
        </svg>
        table
      </div>
      <div className="text-[12px] leading-5 text-ink">
        {lines.map((words) => (
          <p key={words}>{words}</p>
        ))}
      </div>
    </div>
  );
}
