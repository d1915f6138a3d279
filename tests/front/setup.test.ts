import { expect, test } from "vitest";
import { findingOf, isBare, type Shelf, standing, stillOpen } from "../../front/src/shelf/setup/shop";

const BARE: Shelf = {
  tool_card: [], stock: [], roll: [], printer: [], laminator: [], print_mode: [], cutter: [], mark_set: [], ink_colour: [],
  mark_presets: ["For a camera"],
}; // prettier-ignore
const own = { id: 1, version: 1, away: false };
const PRINTER = { ...own, name: "East", address: "ipp://east/ipp/print", print_width_mm: 1300, dpi: 300, ink_price_ml: "0.1", severs: false, has_knife: false, machine: "", simulated: false }; // prettier-ignore
const STOCK = { ...own, name: "Gloss", width_mm: 760, price_m2: "4", currency: "EUR", tolerance_mm: 0.3, ground: "white" as const, takes_film: true, thickness_mm: 0 }; // prettier-ignore
const ROLL = {
  ...own,
  name: "Gloss A",
  length_mm: 50_000,
  remaining_mm: 24_600,
  stock_id: 1,
};
const CUTTER = { ...own, name: "North", address: "", confirm: "oa" as const, eye: "", table_eye: "", reach_across_mm: 1000, reach_along_mm: 1000, edge_mm: 0, holder: "", profile: "knife" as const, sensor_across_mm: 0, sensor_along_mm: 0, feed_percent: 100, speed_mm_s: 300, simulated: false }; // prettier-ignore

const what = (shelf: Shelf, tested = false) => stillOpen(shelf, tested).map((one) => one.what);

test("an empty shop lacks every place, and a test only once there is a cutter", () => {
  expect(isBare(BARE)).toBe(true);
  expect(what(BARE)).toEqual(["A printer", "A stock", "Film, or none", "A cutter, or only print"]);
  expect(standing(BARE, "film")).toMatchObject({ done: false });
});

test("film is decided by a laminator, or by every stock taking none", () => {
  const asked = { ...BARE, printer: [PRINTER], stock: [STOCK], roll: [ROLL] };
  expect(what(asked)).toContain("Film, or none");
  const none = {
    ...asked,
    stock: [
      { ...STOCK, takes_film: false },
      { ...STOCK, id: 2, takes_film: false },
    ],
  };
  expect(what(none)).toEqual(["A cutter, or only print"]);
  expect(standing(none, "film").title).toBe("No film");
  const oneTakesIt = {
    ...asked,
    stock: [
      { ...STOCK, takes_film: false },
      { ...STOCK, id: 2 },
    ],
  };
  expect(what(oneTakesIt)).toContain("Film, or none");
});

test("what is put away counts as not there", () => {
  const away = {
    ...BARE,
    printer: [{ ...PRINTER, away: true }],
    stock: [STOCK],
    roll: [{ ...ROLL, away: true }],
  };
  expect(what(away)).toEqual(expect.arrayContaining(["A printer", "A roll of it"]));
  expect(standing(away, "printer").done).toBe(false);
});

test("a cutter is complete with an address and marks, and then a test is open until one was read", () => {
  const shelf = {
    ...BARE,
    printer: [PRINTER],
    stock: [{ ...STOCK, takes_film: false }],
    roll: [ROLL],
    cutter: [CUTTER],
  };
  expect(what(shelf)).toEqual(["How North is reached", "The marks it reads", "A test sheet"]);
  const reached = {
    ...shelf,
    cutter: [{ ...CUTTER, address: "serial:/dev/ttyUSB0?baud=9600" }],
  };
  expect(standing(reached, "cutter")).toEqual({
    title: "North",
    words: "cable · led by hand",
    done: true,
  });
  expect(what(reached, true)).toEqual(["The marks it reads"]);
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
