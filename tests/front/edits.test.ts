import { expect, test } from "vitest";
import { movedBy, withEdit } from "../../front/src/lines/edits";

test("a line that was taken out counts no more, and the next one is meant", () => {
  const out = withEdit([], 1, { kind: null });
  expect(out).toEqual([expect.objectContaining({ line: 1, kind: null })]);
  // what is shown second now was found third
  const moved = withEdit(out, 1, { kind: "kiss", move_mm: [2, -1] });
  expect(moved.find((edit) => edit.line === 2)?.move_mm).toEqual([2, -1]);
  expect(movedBy(moved, 1)).toEqual([2, -1]);
  expect(movedBy(moved, 0)).toEqual([0, 0]);
});
