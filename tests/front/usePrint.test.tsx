// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import { createElement, type ReactNode } from "react";
import { afterEach, beforeEach, expect, test } from "vitest";
import { closed, json, opened } from "./answering";

type Edit = { revision: number; changes: object };
/** Edits that the server was sent and has not answered yet. */
let owed: { edit: Edit; answer: () => void }[] = [];

beforeEach(() => {
  owed = [];
  opened(async (request) => {
    if (request.method === "POST") {
      const edit = (await request.json()) as Edit;
      return new Promise<Response>((done) => owed.push({ edit, answer: () => done(json({ revision: edit.revision + 1 })) }));
    }
    // the page is slow to see anything: it shows the run as it was all the time
    return json(request.url.endsWith("/checks") ? [] : { nested: false, plates: [], queue: [], sheets: [], settings: { revision: 3 } });
  });
});
afterEach(closed);

test("settings that are changed in quick succession go out one after the other, each on the one before", async () => {
  const { usePrint } = await import("../../front/src/api/usePrint");
  const queries = new QueryClient();
  const wrapper = ({ children }: { children: ReactNode }) => createElement(QueryClientProvider, { client: queries }, children);
  const { result } = renderHook(() => usePrint(1), { wrapper });
  await waitFor(() => expect(result.current.shown).toBeDefined());
  act(() => {
    result.current.set("colour strip", { strip: true });
    result.current.set("cut off", { sever: true });
  });
  await waitFor(() => expect(owed).toHaveLength(1));
  await act(async () => owed[0]?.answer());
  await waitFor(() => expect(owed).toHaveLength(2));
  expect(owed.map(({ edit }) => [edit.revision, edit.changes])).toEqual([
    [3, { strip: true }],
    [4, { sever: true }],
  ]);
});
