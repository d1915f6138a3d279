import { expect, test } from "vitest";
import { dateFrom, dayTitle, dueWords } from "../../front/src/floor/due";

const TODAY = "2026-12-01"; // a Tuesday

test("what is due is told the nearer the shorter, in another year with it", () => {
  const said = ["2026-11-30", TODAY, "2026-12-05", "2026-12-08", "2027-01-02"].map((day) => dueWords(day, TODAY)[0]);
  expect(said).toEqual(["late", "today", "Sat", "8 Dec", "2 Jan 2027"]);
});

test("days to come have their name, and their date when they are far", () => {
  expect(["2026-12-02", "2026-12-06", "2026-12-09"].map((day) => dayTitle(day, TODAY))).toEqual(["Tomorrow", "Sunday", "Wednesday 9 Dec"]);
});

test("a day that is past has its date", () => {
  expect([dateFrom("2026-11-30", TODAY), dateFrom("2025-12-01", TODAY)]).toEqual(["30 Nov", "1 Dec 2025"]);
});
