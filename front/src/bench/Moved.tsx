import type { BenchSheet } from "../api/useSheet";

export type Reading = NonNullable<BenchSheet["reading"]>;
/** From run millimetres to those of the sheet as it lies. */
export type Turn = (x: number, y: number) => [number, number];
/** How many times larger what moved is drawn. */
export const STRONGER = 40;

/** The move of the mesh node nearest to a mark: what printing and film did there. */
export function movedAt(reading: Reading | null, mark: { x: number; y: number }, turn: Turn): [number, number] {
  let best = 0;
  let nearest = Infinity;
  reading?.mesh.nodes.forEach(([x, y], index) => {
    const away = (x - mark.x) ** 2 + (y - mark.y) ** 2;
    if (away < nearest) [nearest, best] = [away, index];
  });
  const moved = reading?.mesh.moved[best] ?? [0, 0];
  return turn(moved[0], moved[1]);
}

export function MarkArrow({ at, moved, px }: { at: [number, number]; moved: [number, number]; px: (value: number) => number }) {
  const tip: [number, number] = [at[0] + moved[0] * STRONGER, at[1] + moved[1] * STRONGER];
  return (
    <g stroke="var(--color-check)" strokeWidth={px(2)}>
      <line x1={at[0]} y1={at[1]} x2={tip[0]} y2={tip[1]} />
      <circle cx={tip[0]} cy={tip[1]} r={px(3)} fill="var(--color-check)" stroke="none" />
    </g>
  );
}

/** The sheet's own grid as it moved, its cells tinted by the miss to expect there: from nothing to the tolerance. */
type MeshProps = { reading: Reading; tolerance: number; place: Turn; turn: Turn; px: (value: number) => number };

export function Mesh({ reading, tolerance, place, turn, px }: MeshProps) {
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
      {miss &&
        miss.length > 0 &&
        cells.map((cell, index) => (
          <polygon key={index} points={cell.points} fill="var(--color-stop)" opacity={0.42 * cell.share ** 1.5} />
        ))}
      <g fill="none" stroke="var(--color-mesh)" strokeWidth={px(1.2)}>
        {[...rows, ...columns].map((line, index) => (
          <polyline key={index} points={line.join(" ")} />
        ))}
      </g>
    </g>
  );
}
