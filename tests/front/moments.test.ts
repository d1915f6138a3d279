import { afterEach, expect, test, vi } from "vitest";
import { clock, day, dayAndYear, dayOrClock, spell, when } from "../../front/src/ui/moments";

afterEach(() => vi.unstubAllGlobals());

const NOON = "2026-02-03T12:00:00Z"; // no zone that is lived in has another day than the 3rd or the 4th then

test("a day names its month: the third of February is nowhere the second of March", () => {
  for (const shown of [day(NOON), dayAndYear(NOON), when(NOON)]) expect(shown).toMatch(/^[34] Feb/);
  expect(when(null)).toBe("never");
});

test("what is due another day says which", () => {
  expect(dayOrClock(NOON, new Date(NOON))).toBe(clock(NOON));
  expect(dayOrClock(NOON, new Date("2026-02-06T12:00:00Z"))).toBe(`${day(NOON)}, ${clock(NOON)}`);
});

test("long spells are told in hours", () => {
  expect([0, 59, 60, 1439].map(spell)).toEqual(["0 min", "59 min", "1 h 0 min", "23 h 59 min"]);
});

test("a browser that has no language gets one; one that has keeps it", async () => {
  for (const [said, kept] of [
    ["C", "en-GB"],
    ["pt-BR", "pt-BR"],
  ] as const) {
    // prettier-ignore
    vi.resetModules();
    vi.stubGlobal("navigator", { language: said });
    await import("../../front/src/ui/language");
    expect(() => new Intl.NumberFormat(navigator.language)).not.toThrow();
    expect(navigator.language).toBe(kept);
  }
});
