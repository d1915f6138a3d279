/** Quarter turns of pieces that all stand the same way, as they are chosen. */
export const TURNS: ["0" | "90" | "180" | "270", string][] = [
  ["0", "not"],
  ["90", "90°"],
  ["180", "180°"],
  ["270", "270°"],
];
export const DEGREES = { "0": 0, "90": 90, "180": 180, "270": 270 } as const;
