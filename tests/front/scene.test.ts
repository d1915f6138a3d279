import { expect, test } from "vitest";
import { acrossOf, frameStarts, type Plan, type Run } from "../../front/src/roll/scene";

const plan = (length_mm: number, lies: Plan["lies"] = null) => ({ length_mm, lies }) as Plan;
const startsOf = (...plans: Plan[]) => frameStarts({ plans } as Run);

test("frames follow each other along the roll", () => {
  expect(startsOf(plan(300), plan(200))).toEqual([0, 300, 500]);
  expect(startsOf()).toEqual([0]);
});

test("blanks that are frames lie where they were set down on their beds, and one bed follows the other", () => {
  const on = (bed: number, x_mm: number, y_mm: number) => plan(160, { bed, x_mm, y_mm, length_mm: 500 });
  const blanks = [on(1, 15, 10), on(1, 255, 10), on(1, 15, 200), on(2, 15, 10)];
  expect(startsOf(...blanks)).toEqual([10, 10, 200, 510, 1000]);
  expect(blanks.map(acrossOf)).toEqual([15, 255, 15, 15]);
});
