import { expect, test } from "vitest";
import { type Entry, fieldsOf, KINDS } from "../../front/src/shelf/fields";

test("a die whose shape was drawn has no radius of corners to set", () => {
  const kind = KINDS.find((one) => one.kind === "die")!;
  const die = { id: 1, version: 1, name: "Oval", corner_mm: 3, label_width_mm: 60 };
  const labels = (shape: number[][]) => fieldsOf(kind, { ...die, shape } as unknown as Entry).map(({ label }) => label);
  expect(labels([])).toContain("Corners");
  const drawn = labels([
    [0, 0.5],
    [0.5, 1],
    [1, 0.5],
    [0.5, 0],
  ]);
  expect(drawn).not.toContain("Corners");
  expect(drawn).toContain("Label width");
});
