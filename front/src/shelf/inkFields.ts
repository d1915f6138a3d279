/** What can be set of colours and special inks. */
import type { Field } from "./fields";

export const shares = (why: string): Field[] =>
  ["cyan", "magenta", "yellow", "black"].map((ink) => ({
    name: ink,
    label: ink[0]?.toUpperCase() + ink.slice(1),
    why,
    kind: "plain",
    suffix: "%",
    decimals: 0,
  }));

export const SPECIAL_INK_FIELDS: Field[] = [
  {
    name: "goes",
    label: "It goes",
    why: "As the eye sees it. On the back of clear stock it is laid down the other way round by itself.",
    kind: "choice",
    choices: [
      ["behind", "behind the colours"],
      ["before", "before the colours"],
    ],
  },
  {
    name: "printer_id",
    label: "In the printer",
    why: "The printer that holds it. A run on another one says so while it is planned.",
    kind: "thing",
    of: "printer",
    none: "any",
  },
  ...shares("Percent: what a screen shows for it. On the plate it stands by its name."),
];
