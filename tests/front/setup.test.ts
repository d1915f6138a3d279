import { expect, test } from "vitest";
import { findingOf, type Shelf, standing, wayOf } from "../../front/src/shelf/setup/shop";

const BARE: Shelf = {
  tool_card: [], stock: [], roll: [], printer: [], laminator: [], print_mode: [], cutter: [], mark_set: [], ink_colour: [],
  mark_presets: ["For a camera"],
}; // prettier-ignore
const own = { id: 1, version: 1, away: false };
const PRINTER = { ...own, name: "East", address: "ipp://east/ipp/print", print_width_mm: 1300, dpi: 300, ink_price_ml: "0.1", severs: false, has_knife: false, machine: "", plates: ["colour" as const], white_goes: "either" as const, simulated: false }; // prettier-ignore
const STOCK = { ...own, name: "Gloss", width_mm: 760, price_m2: "4", currency: "EUR", tolerance_mm: 0.3, ground: "white" as const, takes_film: true, primer: false, thickness_mm: 0, names: {} }; // prettier-ignore
const ROLL = {
  ...own,
  name: "Gloss A",
  length_mm: 50_000,
  remaining_mm: 24_600,
  stock_id: 1,
};
const CUTTER = { ...own, name: "North", address: "", confirm: "oa" as const, eye: "", table_eye: "", reach_across_mm: 1000, reach_along_mm: 1000, edge_mm: 0, holder: "", profile: "knife" as const, sensor_across_mm: 0, sensor_along_mm: 0, feed_percent: 100, speed_mm_s: 300, mark_shapes: [], simulated: false, printer_id: null, at_once_across_mm: 0, at_once_along_mm: 0, after_marks_across_mm: 0, after_marks_along_mm: 0 }; // prettier-ignore

test("film is decided by a laminator, or by every stock taking none", () => {
  expect(standing(BARE, "film", "mm")).toMatchObject({ done: false });
  const asked = { ...BARE, stock: [STOCK], roll: [ROLL] };
  expect(standing(asked, "film", "mm").done).toBe(false);
  const none = {
    ...asked,
    stock: [
      { ...STOCK, takes_film: false },
      { ...STOCK, id: 2, takes_film: false },
    ],
  };
  expect(standing(none, "film", "mm")).toMatchObject({ title: "No film", done: true });
  const oneTakesIt = {
    ...asked,
    stock: [
      { ...STOCK, takes_film: false },
      { ...STOCK, id: 2 },
    ],
  };
  expect(standing(oneTakesIt, "film", "mm").done).toBe(false);
});

test("what is put away counts as not there", () => {
  const away = { ...BARE, printer: [{ ...PRINTER, away: true }], stock: [STOCK], roll: [{ ...ROLL, away: true }] };
  expect(standing(away, "printer", "mm").done).toBe(false);
  expect(standing(away, "stock", "mm")).toMatchObject({ words: "no roll of it yet", done: false });
});

test("a printer without an address works: its files are carried to it", () => {
  const carried = { ...BARE, printer: [{ ...PRINTER, address: "" }] };
  expect(standing(carried, "printer", "mm")).toEqual({ title: "East", words: "files carried to it · 1\u2009300 mm wide", done: true });
  expect(standing(carried, "printer", "in").words).toBe("files carried to it · 51.18 in wide");
});

test("a cutter says how it is connected and how it finds the print", () => {
  expect(standing({ ...BARE, cutter: [CUTTER] }, "cutter", "mm").done).toBe(false);
  const reached = { ...BARE, cutter: [{ ...CUTTER, address: "serial:/dev/ttyUSB0?baud=9600" }] };
  expect(standing(reached, "cutter", "mm")).toEqual({ title: "North", words: "cable · led by hand", done: true });
});

test("a printer's own knife is not a cutter that asks how it is connected, and it is enough", () => {
  const knife = { ...CUTTER, id: 2, name: "Knife of East", printer_id: 1 };
  expect(standing({ ...BARE, cutter: [knife] }, "cutter", "mm")).toEqual({
    title: "Knife of East",
    words: "cuts what its printer prints",
    done: true,
  });
  expect(standing({ ...BARE, cutter: [knife, CUTTER] }, "cutter", "mm")).toMatchObject({ title: "North", done: false });
});

test("how a cutter finds the print is what it has", () => {
  expect(
    findingOf({
      address: "socket://a:1",
      eye: "http://a:2",
      table_eye: "http://a:3",
    }),
  ).toBe("head");
  expect(findingOf({ address: "socket://a:1", eye: "", table_eye: "http://a:3" })).toBe("photo");
  expect(findingOf({ address: "folder:/jobs", eye: "", table_eye: "" })).toBe("itself");
  expect(findingOf({ address: "", eye: "", table_eye: "" })).toBe("hand");
});

test("an address goes one way or none", () => {
  const ways = { network: { schemes: ["ipp", "ipps"], like: "" }, none: { schemes: [], like: "" } };
  expect(wayOf(ways, "ipps://east/ipp/print")).toBe("network");
  expect(wayOf(ways, "folder:/jobs")).toBeNull();
  expect(wayOf(ways, "")).toBeNull();
});
