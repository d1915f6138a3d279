import { expect, test } from "vitest";
import { placed } from "../../front/src/lines/fold/folding";

const box = (x0: number, x1: number): [number, number][] => [
  [x0, 0],
  [x1, 0],
  [x1, 50],
  [x0, 50],
];
const crease = (first: number, x: number, degrees: number) => ({
  first,
  second: first + 1,
  start: [x, 0] as [number, number],
  end: [x, 50] as [number, number],
  degrees,
});
const strip = (...degrees: number[]) => ({
  width_mm: 90,
  height_mm: 50,
  panels: [box(0, 30), box(30, 50), box(50, 90)],
  holes: [[], [], []],
  hinges: degrees.map((one, index) => crease(index, [30, 50][index] ?? 0, one)),
  stays: 0,
  findings: [],
  trouble: null,
});
/** A flat place of a panel in space, by its matrix in columns. */
const at = (matrices: ReturnType<typeof placed>, panel: number, x: number, y: number) => {
  const m = matrices[panel]?.elements ?? [];
  return [0, 1, 2].map((row) => Math.round(((m[row] ?? 0) * x + (m[row + 4] ?? 0) * y + (m[row + 12] ?? 0)) * 1e6) / 1e6 + 0);
};

/** By hand, as the core folds it: away from the printed side, which looks towards +z. */
test("panels turn away from the printed side", () => {
  const square = placed(strip(90, 90), 1);
  expect(at(square, 1, 50, 10)).toEqual([30, 10, -20]);
  expect(at(square, 2, 90, 10)).toEqual([-10, 10, -20]);
  // towards it, and half way
  expect(at(placed(strip(-90, 0), 1), 1, 50, 10)).toEqual([30, 10, 20]);
  const half = placed(strip(90, 0), 0.5);
  expect(at(half, 2, 90, 0)[2]).toBeCloseTo(-60 * Math.SQRT1_2, 5);
  expect(at(placed(strip(90, 90), 0), 2, 90, 10)).toEqual([90, 10, 0]);
});
