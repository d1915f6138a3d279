import type { Field } from "./fields";

export const STOCK_FIELDS: Field[] = [
  { name: "width_mm", label: "Width", why: "Across the feed.", kind: "length", decimals: 0 },
  { name: "price_m2", label: "Price of a square metre", why: "What the shop pays.", kind: "plain", decimals: 2, money: true },
  {
    name: "ground",
    label: "Ground",
    why: "What shows where nothing is printed. On clear or dark stock marks and codes get a white patch of their own.",
    kind: "choice",
    choices: [
      ["white", "white"],
      ["clear", "clear"],
      ["dark", "dark"],
    ],
  },
  { name: "takes_film", label: "Film", why: "Stock that takes none goes from the printer to the cutter.", kind: "yes" },
  {
    name: "primer",
    label: "Wants primer",
    why: "Ink holds on it only over primer, which is then printed under everything.",
    kind: "yes",
  },
  {
    name: "thickness_mm",
    label: "Thickness",
    why: "With its liner; mm, or points of card: 10pt are 0.01 in. 0: not known.",
    kind: "length",
    decimals: 3,
    points: "card",
  },
  {
    name: "grammage_g_m2",
    label: "Grammage",
    why: "Noted only: how heavy a card is says nothing of how thick it is. 0: not known.",
    kind: "plain",
    suffix: "g/m²",
    decimals: 0,
  },
  {
    name: "grain",
    label: "Grain",
    why: "Which way its fibres lie. Creases across it are made as often as the tool card says.",
    kind: "choice",
    choices: [
      ["", "none"],
      ["along", "along the feed"],
      ["across", "across the feed"],
    ],
  },
  { name: "tolerance_mm", label: "Tolerance", why: "How far a cut may miss before the Bench says check.", kind: "length", decimals: 2 },
];
