import { NumberRow } from "../ui/Field";
import type { PlatesProps } from "./Marked";

type Area = [number, number, number, number];

const SIDES = [
  ["from the left", "From the left edge of the art to the rectangle."],
  ["from the top", "From the upper edge of the art to the rectangle."],
  ["width", "How wide the rectangle is."],
  ["height", "How high the rectangle is."],
] as const;

/** A rectangle on the art, typed: where it begins, how large it is. */
export function AreaRows({ of, area, put }: { of: string; area: Area; put: (area: Area) => void }) {
  return SIDES.map(([words, why], side) => (
    <NumberRow
      key={words}
      label={`${of}, ${words}`}
      why={why}
      value={area[side] ?? 0}
      least={side < 2 ? undefined : 0.5}
      onChange={(value) => put(area.map((held, at) => (at === side ? value : held)) as Area)}
    />
  ));
}

/** The art itself as a rectangle on it. */
export const wholeOf = (design: PlatesProps["design"]): [number, number, number, number] => [
  0,
  0,
  design.document.width_mm ?? 100,
  design.height_mm ?? 100,
];
