/** What stands on the Shelf, kind by kind, and what of it can be set. */
import type { Schemas } from "../api/client";
import { shares, SPECIAL_INK_FIELDS } from "./inkFields";
import { MARK_FIELDS } from "./markFields";
import { MODE_FIELDS } from "./modeFields";
import { STOCK_FIELDS } from "./stockFields";
import { DIE_FIELDS, FINISHER_FIELDS, HOLDER_FIELDS } from "./webFields";

type Shelf = Schemas["ShelfShown"];
export type Kind = Exclude<keyof Shelf, "mark_presets">;
export type Entry = Shelf[Kind][number];
export type Value = string | number | boolean | string[] | number[] | null;
export type Field = { name: string; label: string; why: string } &
  /** `zero`: what is said, and saved as nothing, while it is 0. */
  (
    | { kind: "length" | "plain"; suffix?: string; decimals?: number; money?: boolean; zero?: string; points?: "card" }
    /** The least and the most; `none`: what is said where there may be no range. */
    | { kind: "range"; none?: string }
    | { kind: "choice"; choices: [string, string][] }
    /** Any of a few; `none`: what is said while none is chosen. */
    | { kind: "several"; choices: [string, string][]; none: string }
    | { kind: "yes" }
    /** Another thing on the Shelf, or none of them. */
    | { kind: "thing"; of: "colour_profile" | "printer"; none: string }
    /** Lengths, one after the other. */
    | { kind: "places" }
    | { kind: "words" }
  );

/** A value of a row by the name of its field. */
export function valueOf(entry: Entry, name: string): Value {
  const value: unknown = Object.entries(entry).find(([key]) => key === name)?.[1];
  if (Array.isArray(value)) return value.every((one) => typeof one === "number") ? value : value.map(String);
  return typeof value === "string" || typeof value === "number" || typeof value === "boolean" ? value : "";
}

/** What is set of a printer's own knife; the rest of a cutter is the printer's. */
const OF_A_KNIFE: Field[] = [
  ["at_once_across_mm", "Led beside the print, across", "When it cuts at once. Found by a test card; + is to the right."],
  ["at_once_along_mm", "Led beside the print, along", "When it cuts at once. Found by a test card; + is away from the leading edge."],
  ["after_marks_across_mm", "After marks, across", "When the sheet was put back and its marks were read. Found by a test card."],
  ["after_marks_along_mm", "After marks, along", "When the sheet was put back and its marks were read. Found by a test card."],
].map(([name = "", label = "", why = ""]) => ({ name, label, why, kind: "length", decimals: 2 }));

/** Whether a row of the Shelf is the knife in a printer: it comes and goes with it. */
export const isKnife = (entry: Entry) => "printer_id" in entry && "eye" in entry && entry.printer_id !== null;

/** Whether it is a die whose shape was drawn: its corners are in the drawing. */
const isDrawn = (entry: Entry) => "shape" in entry && "corner_mm" in entry && Array.isArray(entry.shape) && entry.shape.length > 0;

/** What can be set of this thing. */
export function fieldsOf(kind: (typeof KINDS)[number], entry: Entry): Field[] {
  if (isKnife(entry)) return OF_A_KNIFE;
  return isDrawn(entry) ? kind.fields.filter(({ name }) => name !== "corner_mm") : kind.fields;
}

/** A kind of thing: its title, what one of it is called (null: it comes with others), what is said while there is none, what can be set. */
export const KINDS: { kind: Kind; title: string; one: string | null; none: string; fields: Field[] }[] = [
  {
    kind: "stock",
    title: "Stocks",
    one: "a stock",
    none: "None yet. A stock is a material with its width, price and tolerance.",
    fields: STOCK_FIELDS,
  },
  {
    kind: "roll",
    title: "Rolls",
    one: "a roll",
    none: "None yet. A roll is what is on hand of a stock, with what is left on it.",
    fields: [
      { name: "length_mm", label: "Length", why: "When it was new.", kind: "length", decimals: 0 },
      { name: "lot", label: "Lot", why: "As its maker wrote on it: pieces that have to match come from one lot.", kind: "words" },
      { name: "place", label: "Where it lies", why: "So that it is found.", kind: "words" },
    ],
  },
  {
    kind: "printer",
    title: "Printers",
    one: "a printer",
    none: "None yet. Say how it is connected, and ask it who it is.",
    fields: [
      {
        name: "address",
        label: "How is it connected?",
        why: "ipp://host/ipp/print, folder:/path, or socket://host:9100 for one that only takes files.",
        kind: "words",
      },
      {
        name: "print_width_mm",
        label: "Prints across",
        why: "The widest print; nothing of a run is laid wider.",
        kind: "length",
        decimals: 0,
      },
      { name: "dpi", label: "Dots an inch", why: "Codes are made of whole dots.", kind: "plain", decimals: 0 },
      { name: "ink_price_ml", label: "Price of a millilitre of ink", why: "What the shop pays.", kind: "plain", decimals: 2, money: true },
      { name: "severs", label: "Cuts the sheet off", why: "Whether the printer severs every sheet after printing it.", kind: "yes" },
      {
        name: "sever_mm",
        label: "Left free for cutting off",
        why: "Behind every frame on a roll, whether the printer cuts it off or hands do.",
        kind: "length",
        decimals: 0,
      },
      { name: "has_knife", label: "Has a knife of its own", why: "It can cut what it prints, without marks.", kind: "yes" },
      {
        name: "plates",
        label: "Lays down",
        why: "A run that needs another plate says so while it is planned.",
        kind: "several",
        none: "nothing",
        choices: [
          ["primer", "primer"],
          ["white", "white"],
          ["blocker", "blocker"],
          ["colour", "colour"],
          ["clear", "clear"],
          ["height", "height"],
          ["braille", "braille"],
        ],
      },
      { name: "ink_bends", label: "Its ink bends", why: "If not, ink on a crease is told before a run is sent.", kind: "yes" },
      {
        name: "white_goes",
        label: "White goes",
        why: "Over the colour for what is seen through clear stock.",
        kind: "choice",
        choices: [
          ["either", "under or over"],
          ["under", "only under the colour"],
          ["over", "only over the colour"],
        ],
      },
    ],
  },
  {
    kind: "print_mode",
    title: "Print modes",
    one: "a print mode",
    none: "None yet. A mode is how a printer prints on a stock, and how fast.",
    fields: MODE_FIELDS,
  },
  {
    kind: "colour_profile",
    title: "Colour profiles",
    one: "a profile",
    none: "None yet. Without one, colours are left to the printer and cannot be proofed.",
    fields: [],
  },
  {
    kind: "laminator",
    title: "Laminators",
    one: "a laminator",
    none: "None: no stock gets film.",
    fields: [
      {
        name: "film_width_mm",
        label: "Width of the film",
        why: "Film covers the marks too; nothing of a run is laid wider.",
        kind: "length",
        decimals: 0,
      },
      {
        name: "film_price_m2",
        label: "Price of a square metre",
        why: "What the shop pays for the film.",
        kind: "plain",
        decimals: 2,
        money: true,
      },
    ],
  },
  {
    kind: "cutter",
    title: "Cutters",
    one: "a cutter",
    none: "None yet. Say how it is connected, and ask it who it is.",
    fields: [
      {
        name: "address",
        label: "How is it connected?",
        why:
          "socket://host:port, serial:/dev/ttyUSB0?baud=9600, rfc2217://host:port, usb:/dev/usb/lp0, " +
          "or folder:/path for one that fetches its files.",
        kind: "words",
      },
      {
        name: "eye",
        label: "Eye on its head",
        why: "http://host:port of the camera that travels with its head. Empty: it has none.",
        kind: "words",
      },
      {
        name: "table_eye",
        label: "Camera over its table",
        why: "http://host:port of a camera that sees the table and its mat. Empty: there is none.",
        kind: "words",
      },
      {
        name: "confirm",
        label: "How a cut is followed",
        why: "The question it answers, found when it is asked who it is. One that answers none is watched by the clock.",
        kind: "choice",
        choices: [
          ["oa", "it says where its head is"],
          ["os", "it says how it is"],
          ["none", "it says nothing"],
        ],
      },
      {
        name: "reach_across_mm",
        label: "Reads across",
        why: "The largest distance of marks across the feed.",
        kind: "length",
        decimals: 0,
      },
      { name: "reach_along_mm", label: "Reads along", why: "The largest distance of marks along the feed.", kind: "length", decimals: 0 },
      {
        name: "mark_shapes",
        label: "Reads marks like",
        why: "Mark sets of other shapes are not offered for it. None chosen: it reads any.",
        kind: "several",
        none: "any",
        choices: [
          ["disc", "disc"],
          ["square", "square"],
          ["corner", "corner angle"],
          ["cross", "cross"],
          ["ring", "ring"],
        ],
      },
      {
        name: "rollers",
        label: "Rollers at",
        why: "The middle of each across the stock, from where its edge is laid. None: a flat bed.",
        kind: "places",
      },
      { name: "roller_mm", label: "Rollers are wide", why: "What of the stock each presses on.", kind: "length", decimals: 0 },
      {
        name: "holder",
        label: "In its holder",
        why: "What hands have put in last. Empty: it is asked before the next cut.",
        kind: "words",
      },
      {
        name: "edge_mm",
        label: "Marks from the edge",
        why: "It reads no mark whose middle is nearer to the edge of the stock.",
        kind: "length",
        decimals: 0,
      },
      {
        name: "profile",
        label: "Takes",
        why: "Steps of its language.",
        kind: "choice",
        choices: [
          ["knife", "HP-GL, steps of 0.025 mm"],
          ["fine-knife", "HP-GL, steps of 0.01 mm"],
          ["arc-knife", "HP-GL, curves as arcs"],
        ],
      },
      {
        name: "sensor_across_mm",
        label: "Camera beside the knife, across",
        why: "Found by a test card; + is to the right.",
        kind: "length",
        decimals: 2,
      },
      {
        name: "sensor_along_mm",
        label: "Camera beside the knife, along",
        why: "Found by a test card; + is away from the leading edge.",
        kind: "length",
        decimals: 2,
      },
      {
        name: "feed_percent",
        label: "Feed",
        why: "How far the media moves for what is told; found by a test card.",
        kind: "plain",
        suffix: "%",
        decimals: 3,
      },
    ],
  },
  {
    kind: "tool_card",
    title: "Tool cards",
    one: null,
    none: "They come with a stock and a cutter: one for each kind of line.",
    fields: [
      { name: "tool", label: "Tool", why: "What has to be in the holder. Another one than before is a stop.", kind: "words" },
      {
        name: "force_gf",
        label: "Force",
        why:
          "Found with the test card of this stock: the lightest at which a shape lifts by itself, " +
          "well below what marks the liner. A new card begins light.",
        kind: "plain",
        suffix: "gf",
        decimals: 0,
      },
      { name: "speed_mm_s", label: "Speed", why: "Slower in thick stock.", kind: "plain", suffix: "mm/s", decimals: 0 },
      {
        name: "passes",
        label: "Passes",
        why: "How often every line is followed: more in thick stock.",
        kind: "plain",
        decimals: 0,
      },
      {
        name: "passes_across",
        label: "Passes across the grain",
        why: "Where a line runs across the grain of the stock. 0: as often as others.",
        kind: "plain",
        decimals: 0,
      },
      {
        name: "force_across_gf",
        label: "Force across the grain",
        why: "How hard such a line is made, so that a crease is deeper there. 0: as others.",
        kind: "plain",
        suffix: "gf",
        decimals: 0,
      },
      {
        name: "offset_mm",
        label: "Knife offset",
        why: "How far the tip of a drag knife trails its pivot, found with the test card; 0 for a tool that turns by itself.",
        kind: "length",
        decimals: 2,
      },
      { name: "overcut_mm", label: "Overcut", why: "How far a closed line goes on past its start.", kind: "length", decimals: 2 },
      { name: "deep_mm", label: "Perforation, deep", why: "Length of a deep span.", kind: "length", decimals: 1 },
      { name: "light_mm", label: "Perforation, light", why: "Length of a light span.", kind: "length", decimals: 1 },
      {
        name: "light_force_gf",
        label: "Force of light spans",
        why: "0: the tool is lifted there.",
        kind: "plain",
        suffix: "gf",
        decimals: 0,
      },
      {
        name: "tie_mm",
        label: "Ties in through cuts",
        why: "Length of the bridges that hold a piece; 0 for none.",
        kind: "length",
        decimals: 1,
      },
      { name: "tie_every_mm", label: "A tie about every", why: "Two at least in every closed line.", kind: "length", decimals: 0 },
    ],
  },
  {
    kind: "ink_colour",
    title: "Colours",
    one: "a colour",
    none: "None yet. Named colours of customers' art can be printed as a colour of the shop's own.",
    fields: shares("Percent of this ink where the colour is full."),
  },
  {
    kind: "special_ink",
    title: "Special inks",
    one: "a special ink",
    none: "None yet. What a printer lays down beside its colours, white and clear: a metal, a gloss, a fluorescent.",
    fields: SPECIAL_INK_FIELDS,
  },
  {
    kind: "mark_set",
    title: "Mark sets",
    one: "a mark set",
    none: "None yet. The marks that your cutter reads.",
    fields: MARK_FIELDS,
  },
  {
    kind: "finisher",
    title: "Finishers of label webs",
    one: "a finisher",
    none: "None yet. What a finisher asks of its black mark: a label web takes it in one press.",
    fields: FINISHER_FIELDS,
  },
  {
    kind: "die",
    title: "Dies of label webs",
    one: "a die",
    none: "None yet. Typed here, or taken from its drawing on a label web.",
    fields: DIE_FIELDS,
  },
  {
    kind: "holder",
    title: "Holders for blanks",
    one: "a holder",
    none: "None yet. A bed plan at Run is kept as one.",
    fields: HOLDER_FIELDS,
  },
];
