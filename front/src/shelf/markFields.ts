import type { Field } from "./fields";

/** What can be set of a mark set. */
export const MARK_FIELDS: Field[] = [
  {
    name: "shape",
    label: "Shape",
    why: "Discs and rings for a camera, squares and corners for a line sensor.",
    kind: "choice",
    choices: [
      ["disc", "disc"],
      ["square", "square"],
      ["corner", "corner angle"],
      ["cross", "cross"],
      ["ring", "ring"],
    ],
  },
  { name: "size_mm", label: "Size", why: "Larger is found more surely.", kind: "length" },
  { name: "stroke_mm", label: "Stroke", why: "How thick the lines of corners, crosses and rings are.", kind: "length" },
  { name: "clear_mm", label: "Clear zone", why: "Free of print round every mark.", kind: "length" },
  {
    name: "count",
    label: "How many",
    why: "Fewer print faster; the note below says what they cannot show.",
    kind: "choice",
    choices: [
      ["2", "two"],
      ["3", "three"],
      ["4", "four"],
      ["more", "more, along the sides"],
    ],
  },
  { name: "spacing_mm", label: "Along the sides, at most", why: "Marks between the corners show a bow.", kind: "length", decimals: 0 },
  {
    name: "place",
    label: "They stand",
    why: "Round the work, or always at the same distance from the edges of the stock.",
    kind: "choice",
    choices: [
      ["work", "round the work"],
      ["stock", "inside the stock"],
    ],
  },
  { name: "inset_mm", label: "Inside the stock by", why: "From the edge of the stock to the middle of a mark.", kind: "length" },
  {
    name: "ink",
    label: "Colour",
    why: "Black in one ink; another where the reader's light asks for it.",
    kind: "choice",
    choices: [
      ["black", "black"],
      ["magenta", "magenta"],
      ["cyan", "cyan"],
      ["red", "red"],
    ],
  },
  {
    name: "code",
    label: "Frame code",
    why: "What names the frame and its end.",
    kind: "choice",
    choices: [
      ["data matrix", "Data Matrix"],
      ["qr", "QR"],
      ["code 128", "Code 128, bars"],
    ],
  },
  { name: "head_margin_mm", label: "Head margin", why: "For the rollers of the cutter.", kind: "length", decimals: 2 },
  { name: "tail_margin_mm", label: "Tail margin", why: "For the rollers of the cutter.", kind: "length", decimals: 2 },
];
