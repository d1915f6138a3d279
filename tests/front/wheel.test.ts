import { expect, test } from "vitest";
import { wheelSteps } from "../../front/src/ui/wheel";

const PIXEL = { deltaX: 0, deltaY: 0, deltaMode: 0, shiftKey: false, ctrlKey: false, timeStamp: 0 };
type Turned = typeof PIXEL;

const stepsOf = (turns: Partial<Turned>[]) => {
  const step = wheelSteps();
  return turns.map((turn) => step({ ...PIXEL, ...turn }));
};

test("a notch is a step, quick or slow, in pixels and in lines", () => {
  // what browsers tell of one notch: 100 or 120 pixels, three lines
  for (const [deltaY, deltaMode] of [
    [-100, 0],
    [-120, 0],
    [-3, 1],
  ] as const)
    // prettier-ignore
    for (const apart of [20, 500])
      expect(stepsOf([0, 1, 2, 3].map((at) => ({ deltaY, deltaMode, timeStamp: at * apart })))).toEqual([1, 1, 1, 1]);
});

test("a stroke of two fingers is no run of sixty steps", () => {
  // sixty movements of 5 pixels, 8 ms apart: the first acts at once, then one for every 40 pixels
  const steps = stepsOf(Array.from({ length: 60 }, (_, at) => ({ deltaY: 5, timeStamp: at * 8 })));
  expect(steps[0]).toBe(-1);
  expect(steps.filter(Boolean)).toEqual(Array.from({ length: 1 + Math.floor((59 * 5) / 40) }, () => -1));
});

test("turned back, it steps back at once", () => {
  const there = { deltaY: -4, timeStamp: 0 };
  expect(stepsOf([there, { deltaY: -4, timeStamp: 10 }, { deltaY: 4, timeStamp: 20 }])).toEqual([1, 0, -1]);
});

test("with Shift the wheel is told sideways, and keeps its sense", () => {
  expect(stepsOf([{ deltaX: -100, shiftKey: true }])).toEqual([1]);
  expect(stepsOf([{ deltaX: 100, shiftKey: true }])).toEqual([-1]);
});

test("sideways without Shift, and the page that grows, are none", () => {
  expect(stepsOf([{ deltaX: 100 }, { deltaY: -100, ctrlKey: true }])).toEqual([0, 0]);
});
