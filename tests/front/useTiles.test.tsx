// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import { createElement, type ReactNode } from "react";
import { afterEach, beforeEach, expect, test } from "vitest";
import { closed, json, opened } from "./answering";

let revision = 3;
let asked: string[] = [];
/** The design as it is after an edit: the answer stays away until the test lets it come. */
let late: (() => void)[] = [];

beforeEach(() => {
  [revision, asked, late] = [3, [], []];
  opened(async (request) => {
    if (request.method === "POST") {
      revision += 1;
      return json({});
    }
    const what = request.url.includes("/tiles/") ? "tiles" : "design";
    asked.push(what);
    const answer = () => json(what === "tiles" ? { document: {}, tiles: [], runs: [] } : { revision });
    return what === "design" && revision > 3 ? new Promise<Response>((done) => late.push(() => done(answer()))) : answer();
  });
});
afterEach(closed);

test("tiles are shown as they are only once the design is: undo pressed then is of that", async () => {
  const { useTiles } = await import("../../front/src/api/useTiles");
  const queries = new QueryClient();
  const wrapper = ({ children }: { children: ReactNode }) => createElement(QueryClientProvider, { client: queries }, children);
  const { result } = renderHook(() => useTiles(1), { wrapper });
  await waitFor(() => expect(result.current.tiles).toBeDefined());
  asked = [];
  act(() => result.current.change("even seams", { by: "even" }));
  await waitFor(() => expect(late).toHaveLength(1));
  expect(asked).toEqual(["design"]);
  await act(async () => late[0]?.());
  await waitFor(() => expect(result.current.design?.revision).toBe(4));
  await waitFor(() => expect(asked).toContain("tiles"));
});
