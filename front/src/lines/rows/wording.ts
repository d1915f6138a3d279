import type { Schemas } from "../../api/client";
import type { CodeField, Field, RowsTable } from "../../api/useRows";

export const CODE_WORDS: [CodeField["kind"], string][] = [
  ["data matrix", "Data Matrix"],
  ["qr", "QR"],
  ["code 128", "Code 128"],
  ["code 39", "Code 39"],
  ["ean-13", "EAN-13"],
  ["ean-8", "EAN-8"],
  ["upc-a", "UPC-A"],
  ["upc-e", "UPC-E"],
  ["itf-14", "ITF-14"],
  ["gs1-128", "GS1-128"],
  ["gs1 data matrix", "GS1 Data Matrix"],
  ["pdf417", "PDF417"],
  ["aztec", "Aztec"],
];
export const WHAT_WORDS: Record<Field["what"], string> = { text: "Text", code: "Code", picture: "Picture" };

const round = (value: number) => Number(value.toFixed(1));

/** A field of its kind in the middle of the art, with a name of its own; it says the first column that is there. */
export function newField(what: Field["what"], there: Field[], [wide, high]: [number, number], table?: RowsTable): Field {
  const names = there.map((one) => one.name);
  let name = WHAT_WORDS[what];
  for (let number = 2; names.includes(name); number++) name = `${WHAT_WORDS[what]} ${number}`;
  const box = what === "text" ? [Math.min(wide * 0.6, 60), Math.min(high * 0.2, 8)] : Array<number>(2).fill(Math.min(wide, high, 40) * 0.5);
  const [width, height] = [round(Math.max(1, box[0]!)), round(Math.max(1, box[1]!))];
  const held: Schemas["PictureDocument-Output"] = {
    what: "picture",
    name,
    x_mm: round((wide - width) / 2),
    y_mm: round((high - height) / 2),
    width_mm: width,
    height_mm: height,
    turn_deg: 0,
    says: `{${table?.table?.columns[0]?.name ?? "Row"}}`,
    shown_if: "",
    unique: false,
    may_be_empty: false,
  };
  if (what === "picture") return held;
  if (what === "code")
    return { ...held, what, kind: "data matrix", level: "", least_module_mm: 0.25, ground: false, spread_mm: 0, colour: "black" };
  return {
    ...held,
    what,
    font: table?.fonts.find((one) => one === "Noto Sans Regular") ?? table?.fonts[0] ?? "Noto Sans Regular",
    size_pt: 10,
    least_pt: 5,
    fit: "shrink",
    align: "start",
    upright: "middle",
    tracking: 0,
    line_height: 1.2,
    curve_mm: 0,
    colour: "black",
  };
}
