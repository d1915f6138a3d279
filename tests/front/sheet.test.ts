import { expect, test } from "vitest";
import { type BenchSheet, spoiledOf, toggled, withSpoiled } from "../../front/src/api/useSheet";

const sheet = (states: BenchSheet["pieces"][number]["state"][]) =>
  ({
    pieces: states.map((state, index) => ({
      number: index + 1,
      name: "a",
      outline: [],
      state,
    })),
  }) as unknown as BenchSheet;

test("a piece that is chosen twice is not chosen", () => {
  expect([...toggled(new Set([1, 2]), [2, 3])]).toEqual([1, 3]);
  expect([...toggled(toggled(new Set(), [4]), [4])]).toEqual([]);
});

test("spoiled and back: what was cut is cut again, what is due stays due", () => {
  const bench = sheet(["cut", "due", "doubtful"]);
  const spoiled = withSpoiled(bench, new Set([1, 2]));
  expect([...spoiledOf(spoiled)]).toEqual([1, 2]);
  expect(withSpoiled(spoiled, new Set()).pieces.map(({ state }) => state)).toEqual(["cut", "cut", "doubtful"]);
  expect(bench.pieces[0]?.state).toBe("cut"); // what was there before is not changed
});
