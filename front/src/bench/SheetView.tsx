import { useRef } from "react";
import type { Schemas } from "../api/client";
import { useKeys } from "../ui/keys";
import { useSize, useZoom } from "../ui/zoom";

type Bench = Schemas["BenchShown"];
const STRONGER = 40;

/** The loaded sheet as it lies: the knife on the left, the end that went in first beside it. Loaded tail first, the plan is turned by half. */
export function SheetView({ bench, end }: { bench: Bench; end: "head" | "tail" }) {
  const frame = useRef<SVGSVGElement>(null);
  const [width, height] = useSize(frame);
  const { transform, fit } = useZoom(frame, 60);
  useKeys({ "0": fit });
  const { plan, reading, sheet } = bench;
  const [long, across] = [sheet.length_mm, sheet.width_mm];
  const base = Math.max(0.001, Math.min((width - 150) / long, (height - 90) / across));
  const left = 110 + (width - 140 - long * base) / 2;
  const top = (height - across * base) / 2;
  const scale = base * transform.k;
  const px = (value: number) => value / scale;
  // run (x, y) lies at (y, x); loaded tail first, everything is turned by half about the middle of the sheet
  const place = (x: number, y: number): [number, number] => (end === "tail" ? [long - y, across - x] : [y, x]);
  const turn = (dx: number, dy: number): [number, number] => (end === "tail" ? [-dy, -dx] : [dy, dx]);
  return (
    <svg ref={frame} role="img" aria-label={`Sheet ${sheet.name}, ${end} first`} className="h-full w-full touch-none">
      <g>
        <rect x="88" width="13" height={height} fill="#B3B4A9" />
        <rect x="93" width="3" height={height} fill="#8C8D83" />
        <text x="34" y="24" fontSize="12" fill="#5C666B">knife</text>
      </g>
      <g transform={`${transform.toString()} translate(${left},${top}) scale(${base})`}>
        <rect width={long} height={across} fill="#fff" stroke="#A9AAA0" strokeWidth={px(1)} />
        <g transform={end === "tail" ? `matrix(0,-1,1,0,0,${across})` : `matrix(0,1,-1,0,${long},0)`}>
          <image href={bench.preview} width={across} height={long} preserveAspectRatio="none" opacity={reading ? 0.75 : 1} />
        </g>
        {reading && <Mesh reading={reading} place={place} turn={turn} px={px} />}
        {plan.marks.map((mark) => {
          const read = reading?.marks.find((one) => one.id === mark.id);
          const [u, v] = place(mark.x, mark.y);
          const left = reading?.fit.residuals.find((one) => one.id === mark.id);
          const found = !reading || read?.measured;
          return (
            <g key={mark.id}>
              <circle cx={u} cy={v} r={Math.max(plan.size_mm / 2, px(4))} fill={found ? "#20262B" : "none"} stroke={found ? "none" : "#B3362B"} strokeWidth={px(2)} />
              {read?.measured && <MarkArrow at={[u, v]} moved={movedAt(reading, mark, turn)} px={px} />}
              {!found && <text x={u + px(9)} y={v + px(4)} fontSize={px(12)} fill="#B3362B">not read</text>}
              {left && !left.used && read?.measured && <text x={u + px(9)} y={v + px(4)} fontSize={px(12)} fill="#B3362B">left out</text>}
            </g>
          );
        })}
      </g>
      <text x="116" y={height - 14} fontSize="12" fill="#5C666B">
        {bench.sheet.state === "cut" && !bench.report ? "as it was printed" : reading ? `arrows ×${STRONGER}` : `${end === "head" ? "head" : "tail"} first, printed side up, marks over the cutting strip`}
      </text>
      {reading && (
        <text x={width - 14} y={height - 14} textAnchor="end" fontSize="12" fill="#5C666B">
          green mesh: how printing and film moved the sheet, ×{STRONGER}
        </text>
      )}
    </svg>
  );
}

/** The cutter's own picture of the table, turned a quarter clockwise like everything else: the feed runs to the right. */
export function CutSheet({ id, report }: { id: number; report: NonNullable<Bench["report"]> }) {
  const frame = useRef<SVGSVGElement>(null);
  const [width, height] = useSize(frame);
  const { transform, fit } = useZoom(frame, 60);
  useKeys({ "0": fit });
  const [x0, y0, x1, y1] = report.box;
  const [across, long] = [x1 - x0, y1 - y0];
  const base = Math.max(0.001, Math.min((width - 30) / long, (height - 30) / across));
  return (
    <svg ref={frame} role="img" aria-label="The sheet with its cuts, as the cutter's camera shows it" className="h-full w-full touch-none bg-[#CDCDCD]">
      <g transform={`${transform.toString()} translate(${(width - long * base) / 2},${(height - across * base) / 2}) scale(${base}) matrix(0,1,-1,0,${long},0)`}>
        <image href={`/api/bench/${id}/picture?${report.cut.worst_mm}`} width={across} height={long} preserveAspectRatio="none" />
      </g>
    </svg>
  );
}

type Turn = (x: number, y: number) => [number, number];

/** The move of the mesh node nearest to a mark: what printing and film did there. */
function movedAt(reading: NonNullable<Bench["reading"]> | null, mark: { x: number; y: number }, turn: Turn): [number, number] {
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

function Mesh({ reading, place, turn, px }: { reading: NonNullable<Bench["reading"]>; place: Turn; turn: Turn; px: (value: number) => number }) {
  const { size, nodes, moved } = reading.mesh;
  const points = nodes.map(([x, y], index) => {
    const [u, v] = place(x, y);
    const [du, dv] = turn(moved[index]?.[0] ?? 0, moved[index]?.[1] ?? 0);
    return `${(u + du * STRONGER).toFixed(2)},${(v + dv * STRONGER).toFixed(2)}`;
  });
  const rows = Array.from({ length: size }, (_, row) => points.slice(row * size, (row + 1) * size));
  const columns = Array.from({ length: size }, (_, column) => rows.map((row) => row[column]));
  return (
    <g fill="none" stroke="#7FB09B" strokeWidth={px(1.2)}>
      {[...rows, ...columns].map((line, index) => (
        <polyline key={index} points={line.join(" ")} />
      ))}
    </g>
  );
}
