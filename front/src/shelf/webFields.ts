import type { Field } from "./fields";

/** What a finisher of label webs asks of its black mark. */
export const FINISHER_FIELDS: Field[] = [
  { name: "width_mm", label: "Width of its mark", why: "As its book says.", kind: "range" },
  { name: "height_mm", label: "Height of its mark", why: "Along the feed.", kind: "range" },
  { name: "left_mm", label: "From the left edge", why: "From the edge of the stock to the mark.", kind: "range", none: "no rule" },
  {
    name: "bottom_from",
    label: "Its bottom is measured",
    why: "Which edge of the page it measures from.",
    kind: "choice",
    choices: [
      ["bottom", "from the first edge"],
      ["top", "from the end of the page"],
    ],
  },
  { name: "bottom_mm", label: "To its bottom", why: "From that edge.", kind: "range", none: "no rule" },
  { name: "not_below_mark", label: "Art keeps above its top", why: "Whether art may not stand below the top of the mark.", kind: "yes" },
  { name: "right_of_mark_mm", label: "Art keeps right of it by", why: "The least between mark and art.", kind: "length", zero: "no rule" },
  {
    name: "right_free_mm",
    label: "Art off the right edge by",
    why: "The least to the edge of the stock.",
    kind: "length",
    zero: "no rule",
  },
  { name: "top_free_mm", label: "Art off the end by", why: "The least to the end of the page.", kind: "length", zero: "no rule" },
  { name: "longest_repeat_mm", label: "Longest repeat", why: "What it reaches from mark to mark.", kind: "length", zero: "no rule" },
];

export const DIE_FIELDS: Field[] = [
  { name: "label_width_mm", label: "Label width", why: "From cut to cut.", kind: "length", decimals: 2 },
  { name: "label_height_mm", label: "Label height", why: "From cut to cut.", kind: "length", decimals: 2 },
  { name: "corner_mm", label: "Corners", why: "Their radius.", kind: "length", decimals: 2 },
  { name: "columns", label: "Columns", why: "Labels beside each other.", kind: "plain", decimals: 0 },
  { name: "rows", label: "Rows", why: "Labels behind each other.", kind: "plain", decimals: 0 },
  { name: "gap_across_mm", label: "Gap across", why: "Between cuts beside each other.", kind: "length", decimals: 2 },
  { name: "gap_along_mm", label: "Gap along", why: "Between cuts behind each other.", kind: "length", decimals: 2 },
];

export const HOLDER_FIELDS: Field[] = [
  { name: "width_mm", label: "Width", why: "Across the bed.", kind: "length", decimals: 1 },
  { name: "length_mm", label: "Length", why: "Away from the near edge.", kind: "length", decimals: 1 },
  {
    name: "play_mm",
    label: "Play",
    why: "How much wider than its blank each opening is cut, on every side.",
    kind: "length",
    decimals: 2,
  },
];
