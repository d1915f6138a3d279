// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import { createElement, type ReactNode } from "react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

/** A server that keeps one stock, refuses a stale version, and answers a change only when it is let. */
const stock = { id: 3, name: "Stock", width_mm: 600, version: 1 };
let letGo: (() => void)[] = [];
let refused = 0;

const shelf = () => JSON.stringify({ stock: [stock] });
const answer = (status: number, body: string) => new Response(body, { status, headers: { "content-type": "application/json" } });

beforeEach(() => {
  Object.assign(stock, { name: "Stock", width_mm: 600, version: 1 });
  [letGo, refused] = [[], 0];
  vi.resetModules();
  // a browser asks relative to its page
  const Plain = Request;
  vi.stubGlobal("Request", function (url: string, init?: RequestInit) {
    return new Plain(new URL(url, location.href), init);
  });
  vi.stubGlobal("fetch", async (request: Request) => {
    if (request.method === "GET") return answer(200, shelf());
    const asked = (await request.json()) as { version: number; changes: object };
    await new Promise<void>((go) => letGo.push(go));
    if (asked.version !== stock.version) {
      refused += 1;
      return answer(409, JSON.stringify({ title: "stale", what: "stale" }));
    }
    Object.assign(stock, asked.changes, { version: stock.version + 1 });
    return answer(200, shelf());
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

/** The Shelf as a page holds it, shown for the first time. */
async function shown() {
  const { useShelf } = await import("../../front/src/api/useShelf");
  const queries = new QueryClient();
  const wrapper = ({ children }: { children: ReactNode }) => createElement(QueryClientProvider, { client: queries }, children);
  const { result } = renderHook(useShelf, { wrapper });
  await waitFor(() => expect(result.current.shelf).toBeDefined());
  return result;
}

test("what is typed while the change before it is on its way is no conflict with it", async () => {
  const result = await shown();
  act(() => {
    result.current.change.mutate({ kind: "stock", id: 3, changes: { name: "Gloss" } });
    result.current.change.mutate({ kind: "stock", id: 3, changes: { width_mm: 762 } });
  });
  for (let answered = 0; answered < 2; answered += 1) {
    await waitFor(() => expect(letGo).toHaveLength(1));
    act(() => letGo.shift()?.());
  }
  await waitFor(() => expect(result.current.shelf?.stock[0]).toMatchObject({ name: "Gloss", width_mm: 762, version: 3 }));
  expect(refused).toBe(0);
});

test("changes are undone and done again, the newest first, and a new one ends what was undone", async () => {
  const result = await shown();
  const answered = async (ask: () => void, seen: object) => {
    act(ask);
    await waitFor(() => expect(letGo).toHaveLength(1));
    act(() => letGo.shift()?.());
    await waitFor(() => expect(result.current.shelf?.stock[0]).toMatchObject(seen));
  };
  const set = (changes: object) => () => result.current.change.mutate({ kind: "stock", id: 3, changes: { ...changes } });
  await answered(set({ name: "Gloss", width_mm: 600 }), { name: "Gloss" }); // the width is what it was: no part of the step
  await answered(set({ width_mm: 762 }), { width_mm: 762 });
  await answered(() => result.current.step.mutate("undo"), { name: "Gloss", width_mm: 600 });
  await answered(() => result.current.step.mutate("undo"), { name: "Stock", width_mm: 600 });
  await answered(() => result.current.step.mutate("redo"), { name: "Gloss", width_mm: 600 });
  expect(result.current).toMatchObject({ undo: "a change of Stock", redo: "a change of Gloss" });
  await answered(set({ name: "Matt" }), { name: "Matt" });
  expect(result.current.redo).toBeUndefined();
  expect(refused).toBe(0);
});
