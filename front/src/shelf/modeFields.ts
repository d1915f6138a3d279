import type { Field } from "./fields";

/** What can be set of a print mode. */
export const MODE_FIELDS: Field[] = [
  { name: "dpi", label: "Dots an inch", why: "What it lays down in this mode.", kind: "plain", decimals: 0 },
  { name: "passes", label: "Passes", why: "More passes hide the seams between bands and take longer.", kind: "plain", decimals: 0 },
  { name: "two_way", label: "Prints both ways", why: "Faster; one way is exacter.", kind: "yes" },
  { name: "m2_per_hour", label: "Square metres an hour", why: "Sets the time of a run.", kind: "plain", decimals: 1 },
  {
    name: "ink_ml_m2",
    label: "Ink on a square metre",
    why: "Millilitres of one ink where it is full.",
    kind: "plain",
    suffix: "ml",
    decimals: 1,
  },
  {
    name: "touch_dry_minutes",
    label: "Touch-dry after",
    why: "From then it may be rolled or stacked.",
    kind: "plain",
    suffix: "min",
    decimals: 0,
  },
  {
    name: "drying_minutes",
    label: "Ready for film after",
    why: "What the ink gives off has to be gone: film put on before lifts.",
    kind: "plain",
    suffix: "min",
    decimals: 0,
  },
  {
    name: "rest",
    label: "Left until then",
    why: "How a print lies while it dries.",
    kind: "choice",
    choices: [
      ["", "as it comes"],
      ["loose", "loosely rolled"],
      ["hung", "hung up"],
    ],
  },
  {
    name: "tactile",
    label: "For braille alone",
    why: "Dots are built up in it wherever a run of this printer has braille. No run can choose it.",
    kind: "yes",
  },
  {
    name: "colour_profile_id",
    label: "Colour profile",
    why: "How these inks look on this stock. It goes into the print file, and the proof is seen through it.",
    kind: "thing",
    of: "colour_profile",
    none: "none",
  },
  {
    name: "intent",
    label: "Colours out of reach",
    why: "Pictures bear being drawn together; a logo wants the nearest colour.",
    kind: "choice",
    choices: [
      ["relative", "the nearest colour"],
      ["perceptual", "all drawn together"],
      ["saturation", "kept strong"],
      ["absolute", "nearest, stock's white imitated"],
    ],
  },
  {
    name: "converts",
    label: "RGB is converted here",
    why: "Into the inks of a CMYK profile, in the print file. Otherwise the printer does it.",
    kind: "yes",
  },
  { name: "keep_black", label: "Pure black stays one ink", why: "When RGB is converted here: type keeps its edge.", kind: "yes" },
  { name: "black_point", label: "Deepest black fits", why: "The art's black becomes the darkest that the inks give.", kind: "yes" },
  {
    name: "profile",
    label: "Called on the printer",
    why: "The profile's name there, when the printer holds it itself.",
    kind: "words",
  },
];
