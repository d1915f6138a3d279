import { useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { useKeys } from "../ui/keys";
import { useSize, useZoom } from "../ui/zoom";

type Bench = Schemas["BenchShown"];
type Reading = NonNullable<Bench["reading"]>;
type Turn = (x: number, y: number) => [number, number];
const STRONGER = 40;
const PIECE_LOOKS: Record<Schemas["PieceOnSheet"]["state"], { fill: string; stroke: string }> = {
  due: { fill: "transparent", stroke: "#00806966" },
  cut: { fill: "#2E7D4F2E", stroke: "#2E7D4F" },
  doubtful: { fill: "#B77A0040", stroke: "#B77A00" },
  spoiled: { fill: "#B3362B52", stroke: "#B3362B" },
};

type Props = { bench: Bench; end: "head" | "tail"; chosen: Set<number>; toggle: (pieces: number[]) => void };

/** The sheet as it lies or has to be laid: the knife on the left, the end that went in first beside it. Loaded tail first, the plan is turned by half. */
export function SheetView({ bench, end, chosen, toggle }: Props) {
  const frame = useRef<SVGSVGElement>(null);
  const inner = useRef<SVGGElement>(null);
  const [width, height] = useSize(frame);
  const { transform, fit } = useZoom(frame, 60);
  const [box, setBox] = useState<[number, number, number, number] | null>(null);
  useKeys({ "0": fit });
  const { plan, reading, sheet } = bench;
  const [long, across] = [sheet.length_mm, sheet.width_mm];
  const base = Math.max(0.001, Math.min((width - 150) / long, (height - 90) / across));
  const left = 110 + (width - 140 - long * base) / 2;
  const top = (height - across * base) / 2;
  const scale = base * transform.k;
  const px = (value: number) => value / scale;
  // run (x, y) lies at (y, x); loaded tail first, everything is turned by half about the middle of the sheet
  const place: Turn = (x, y) => (end === "tail" ? [long - y, across - x] : [y, x]);
  const turn: Turn = (dx, dy) => (end === "tail" ? [-dy, -dx] : [dy, dx]);
  const laid = ["loaded", "read", "cut"].includes(sheet.state);
  const onSheet = (event: React.PointerEvent): [number, number] => {
    const matrix = inner.current?.getScreenCTM()?.inverse();
    if (!matrix) return [0, 0];
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix);
    return [at.x, at.y];
  };
  const inBox = ([x0, y0, x1, y1]: [number, number, number, number]) =>
    bench.pieces.filter(({ outline }) => outline.every(([x, y]) => {
      const [u, v] = place(x, y);
      return u >= Math.min(x0, x1) && u <= Math.max(x0, x1) && v >= Math.min(y0, y1) && v <= Math.max(y0, y1);
    })).map(({ number }) => number);
  return (
    <svg
      ref={frame}
      role="img"
      aria-label={`Sheet ${sheet.name}, ${end} first`}
      className="h-full w-full touch-none"
      onPointerDownCapture={(event) => {
        if (!event.shiftKey) return;
        event.stopPropagation();
        event.preventDefault();
        event.currentTarget.setPointerCapture(event.pointerId);
        const [u, v] = onSheet(event);
        setBox([u, v, u, v]);
      }}
      onPointerMove={(event) => box && setBox([box[0], box[1], ...onSheet(event)])}
      onPointerUp={() => {
        if (box) toggle(inBox(box));
        setBox(null);
      }}
    >
      <g>
        <rect x="88" width="13" height={height} fill="#B3B4A9" />
        <rect x="93" width="3" height={height} fill="#8C8D83" />
        <text x="34" y="24" fontSize="12" fill="#566065">knife</text>
      </g>
      <g ref={inner} transform={`${transform.toString()} translate(${left},${top}) scale(${base})`}>
        <rect width={long} height={across} fill="#fff" stroke="#A9AAA0" strokeWidth={px(1)} />
        <g transform={end === "tail" ? `matrix(0,-1,1,0,0,${across})` : `matrix(0,1,-1,0,${long},0)`}>
          <image href={bench.preview} width={across} height={long} preserveAspectRatio="none" opacity={reading ? 0.75 : 1} />
        </g>
        {!laid && <HowToLay bench={bench} place={place} px={px} />}
        {reading && <Mesh reading={reading} tolerance={bench.tolerance_mm} place={place} turn={turn} px={px} />}
        {bench.pieces.map((piece) => {
          const looks = PIECE_LOOKS[piece.state];
          const picked = chosen.has(piece.number);
          return (
            <polygon
              key={piece.number}
              data-piece={piece.number}
              points={piece.outline.map(([x, y]) => place(x, y).map((value) => value.toFixed(1)).join(",")).join(" ")}
              fill={looks.fill}
              stroke={picked ? "#20262B" : looks.stroke}
              strokeWidth={px(picked ? 3 : 1.2)}
              className="cursor-pointer"
              onClick={(event) => !event.shiftKey && toggle([piece.number])}
            />
          );
        })}
        {plan.marks.map((mark) => {
          const read = reading?.marks.find((one) => one.id === mark.id);
          const [u, v] = place(mark.x, mark.y);
          const left = reading?.fit.residuals.find((one) => one.id === mark.id);
          const found = !reading || read?.measured;
          return (
            <g key={mark.id} pointerEvents="none">
              <circle cx={u} cy={v} r={Math.max(plan.size_mm / 2, px(4))} fill={found ? "#20262B" : "none"} stroke={found ? "none" : "#B3362B"} strokeWidth={px(2)} />
              {read?.measured && <MarkArrow at={[u, v]} moved={movedAt(reading, mark, turn)} px={px} />}
              {!found && <text x={u + px(9)} y={v + px(4)} fontSize={px(12)} fill="#B3362B">not read</text>}
              {left && !left.used && read?.measured && <text x={u + px(9)} y={v + px(4)} fontSize={px(12)} fill="#B3362B">left out</text>}
            </g>
          );
        })}
        {box && <rect x={Math.min(box[0], box[2])} y={Math.min(box[1], box[3])} width={Math.abs(box[2] - box[0])} height={Math.abs(box[3] - box[1])} fill="#20262B14" stroke="#20262B" strokeWidth={px(1)} />}
      </g>
      <text x="116" y={height - 14} fontSize="12" fill="#4A5358">
        {sheet.state === "cut" && !bench.report ? "as it was printed" : reading ? `arrows ×${STRONGER}` : `${end} first, printed side up`}
      </text>
      {reading && (
        <text x={width - 14} y={height - 14} textAnchor="end" fontSize="12" fill="#4A5358">
          green mesh: how printing and film moved the sheet, ×{STRONGER} · tint: where the cut may miss most
        </text>
      )}
    </svg>
  );
}

/** Where the marks have to lie and where the head waits, before anything is on the cutter. */
function HowToLay({ bench, place, px }: { bench: Bench; place: Turn; px: (value: number) => number }) {
  const { plan, head_waits, sheet } = bench;
  const rows = [...new Set(plan.marks.map(({ x }) => Math.round(x)))].sort((one, other) => one - other);
  const sides = rows.length > 1 ? [rows[0] ?? 0, rows[rows.length - 1] ?? 0] : rows;
  const [u, v] = [head_waits[1], head_waits[0]];
  return (
    <g pointerEvents="none">
      {sides.map((x) => {
        const [, side] = place(x, 0);
        return <rect key={x} x={0} y={side - plan.size_mm} width={sheet.length_mm} height={2 * plan.size_mm} fill="#B98A54" opacity={0.28} />;
      })}
      <g stroke="#0F5C4E" strokeWidth={px(2.5)} fill="none">
        <circle cx={u} cy={v} r={px(13)} fill="#FBFAF6" fillOpacity={0.7} />
        <path d={`M${u - px(20)},${v}H${u + px(20)}M${u},${v - px(20)}V${v + px(20)}`} />
      </g>
      <text x={u + px(26)} y={v - px(8)} fontSize={px(14)} fontWeight={600} fill="#0F5C4E" stroke="#FBFAF6" strokeWidth={px(4)} paintOrder="stroke">
        the head waits here
      </text>
      <text x={px(8)} y={(place(sides[0] ?? 0, 0)[1] || 0) - plan.size_mm - px(6)} fontSize={px(13)} fill="#6b4c24" stroke="#FBFAF6" strokeWidth={px(4)} paintOrder="stroke">
        marks over the cutting strip
      </text>
    </g>
  );
}

/** The cutter's own picture of the table, turned a quarter clockwise like everything else: the feed runs to the right. */
export function CutSheet({ id, report }: { id: number; report: NonNullable<Bench["report"]> }) {
  const frame = useRef<SVGSVGElement>(null);
  const [width, height] = useSize(frame);
  const { transform, fit } = useZoom(frame, 60);
  useKeys({ "0": fit });
  if (!report.box) return null;
  const [x0, y0, x1, y1] = report.box;
  const [across, long] = [x1 - x0, y1 - y0];
  const base = Math.max(0.001, Math.min((width - 30) / long, (height - 30) / across));
  return (
    <svg ref={frame} role="img" aria-label="The sheet with its cuts, as the cutter's camera shows it" className="h-full w-full touch-none bg-[#CDCDCD]">
      <g transform={`${transform.toString()} translate(${(width - long * base) / 2},${(height - across * base) / 2}) scale(${base}) matrix(0,1,-1,0,${long},0)`}>
        <image href={`/api/bench/${id}/picture?${report.cut?.worst_mm ?? 0}`} width={across} height={long} preserveAspectRatio="none" />
      </g>
    </svg>
  );
}

/** The move of the mesh node nearest to a mark: what printing and film did there. */
function movedAt(reading: Reading | null, mark: { x: number; y: number }, turn: Turn): [number, number] {
  let best = 0;
  let nearest = Infinity;
  reading?.mesh.nodes.forEach(([x, y], index) => {
    const away = (x - mark.x) ** 2 + (y - mark.y) ** 2;
    if (away < nearest) [nearest, best] = [away, index];
  });
  const moved = reading?.mesh.moved[best] ?? [0, 0];
  return turn(moved[0], moved[1]);
}

function MarkArrow({ at, moved, px }: { at: [number, number]; moved: [number, number]; px: (value: number) => number }) {
  const tip: [number, number] = [at[0] + moved[0] * STRONGER, at[1] + moved[1] * STRONGER];
  return (
    <g stroke="#B77A00" strokeWidth={px(2)}>
      <line x1={at[0]} y1={at[1]} x2={tip[0]} y2={tip[1]} />
      <circle cx={tip[0]} cy={tip[1]} r={px(3)} fill="#B77A00" stroke="none" />
    </g>
  );
}

/** The sheet's own grid as it moved, its cells tinted by the miss to expect there: from nothing to the tolerance. */
function Mesh({ reading, tolerance, place, turn, px }: { reading: Reading; tolerance: number; place: Turn; turn: Turn; px: (value: number) => number }) {
  const { size, nodes, moved, miss } = reading.mesh;
  const points = nodes.map(([x, y], index) => {
    const [u, v] = place(x, y);
    const [du, dv] = turn(moved[index]?.[0] ?? 0, moved[index]?.[1] ?? 0);
    return `${(u + du * STRONGER).toFixed(2)},${(v + dv * STRONGER).toFixed(2)}`;
  });
  const rows = Array.from({ length: size }, (_, row) => points.slice(row * size, (row + 1) * size));
  const columns = Array.from({ length: size }, (_, column) => rows.map((row) => row[column]));
  const cells = Array.from({ length: (size - 1) ** 2 }, (_, cell) => {
    const first = Math.floor(cell / (size - 1)) * size + (cell % (size - 1));
    const corners = [first, first + 1, first + size + 1, first + size];
    const worst = Math.max(...corners.map((corner) => miss?.[corner] ?? 0));
    return { points: corners.map((corner) => points[corner]).join(" "), share: Math.min(1, worst / tolerance) };
  });
  return (
    <g pointerEvents="none">
      {miss && miss.length > 0 && cells.map((cell, index) => <polygon key={index} points={cell.points} fill="#B3362B" opacity={0.42 * cell.share ** 1.5} />)}
      <g fill="none" stroke="#7FB09B" strokeWidth={px(1.2)}>
        {[...rows, ...columns].map((line, index) => (
          <polyline key={index} points={line.join(" ")} />
        ))}
      </g>
    </g>
  );
}
