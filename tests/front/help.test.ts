import { expect, test } from "vitest";
import { found, PAGES } from "../../front/src/help/pages";
import { KEY_SHEET } from "../../front/src/ui/keys";

test("without words the open station's own topics are shown, in their order", () => {
  const own = PAGES.find((page) => page.station === "bench")!.topics.map((topic) => topic.title);
  expect(found("  ", "bench").map(({ topic }) => topic.title)).toEqual(own);
});

test("all words are looked for in all stations, whatever their case, the open station first", () => {
  const stations = found("WHITE", "shelf").map(({ page }) => page.station);
  expect(stations[0]).toBe("shelf");
  expect(new Set(stations)).toContain("lines");
  expect(found("white due", "run").map(({ topic }) => topic.title)).toEqual(["Care"]);
  expect(found("zeppelin", "run")).toEqual([]);
});

test("every station has a page, and a key that it names is one of the key sheet", () => {
  const known = KEY_SHEET.flatMap(([, keys]) => keys.flatMap(([key]) => key.split(" ")));
  for (const page of PAGES) {
    const said = [page.begin, ...page.topics.flatMap((topic) => topic.words)].join(" ");
    for (const [, key] of said.matchAll(
      /(?:^|[.:,] |with |press |Press )([A-Z])(?= (?:lays|looks|opens|puts|makes|adds|sets|shows|reads|stops|goes|and click))/g,
    )) {
      expect(known, `${page.title}: ${key}`).toContain(key);
    }
  }
  expect(PAGES.map((page) => page.station)).toEqual(["floor", "lines", "run", "print", "bench", "shelf"]);
});
