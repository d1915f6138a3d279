import type { Schemas } from "../../api/client";
import type { Run } from "../../api/useRun";

/** Blanks as they are when their turn comes, changed. */
export type PutBlanks = (words: string, change: (now: Blank[]) => Blank[]) => void;
export type Blank = Schemas["RunDocument"]["bed"]["places"][number];

const tenth = (value: number) => Math.max(0, Number(value.toFixed(1)));

/** The blanks of rows, each set down where the rows had it. */
export const setDown = (run: Run): Blank[] =>
  run.places.map(({ x_mm, y_mm, width_mm, height_mm, shape }) => ({
    x_mm: tenth(x_mm),
    y_mm: tenth(y_mm),
    width_mm,
    height_mm,
    shape,
    rotation_deg: run.document.bed.rotation_deg,
    design_id: null,
    stock_id: null,
  }));

/** One of them made another one. */
export const withOne = (index: number, change: (blank: Blank) => Blank) => (now: Blank[]) =>
  now.map((one, number) => (number === index ? change(one) : one));

/** A blank moved to a place on the bed, no further than its edges. */
export function movedTo(blank: Blank, x: number, y: number, bed: { across_mm: number; along_mm: number }): Blank {
  const within = (value: number, room: number) => tenth(Math.min(Math.max(0, value), Math.max(0, room)));
  return { ...blank, x_mm: within(x, bed.across_mm - blank.width_mm), y_mm: within(y, bed.along_mm - blank.height_mm) };
}

/** One more like it, beside it or, where there is no room, behind it. */
export function another(blank: Blank, bed: { across_mm: number; along_mm: number }, apart: number): Blank {
  const beside = blank.x_mm + blank.width_mm + apart;
  return beside + blank.width_mm <= bed.across_mm
    ? movedTo(blank, beside, blank.y_mm, bed)
    : movedTo(blank, blank.x_mm, blank.y_mm + blank.height_mm + apart, bed);
}
