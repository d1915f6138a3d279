import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import { createElement, type ReactNode } from "react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

/** The answers that a server still owes, in the order in which it was asked for lines. */
let owed: (() => void)[] = [];

const json = (body: object) => new Response(JSON.stringify(body), { headers: { "content-type": "application/json" } });

beforeEach(() => {
  owed = [];
  sessionStorage.clear();
  vi.resetModules();
  vi.stubGlobal("EventSource", class extends EventTarget {});
  const Plain = Request;
  vi.stubGlobal("Request", function (url: string, init?: RequestInit) {
    return new Plain(new URL(url, location.href), init);
  });
  vi.stubGlobal("fetch", (request: Request) => {
    if (request.method !== "PUT") return Promise.resolve(json({ id: 3, revision: 1, document: {} }));
    return new Promise<Response>((answer) => owed.push(() => answer(json({ task_id: 40 + owed.length }))));
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

test("lines asked for while they are being asked for are asked for once more", async () => {
  const { useDesign } = await import("../../front/src/api/useDesign");
  const queries = new QueryClient();
  const wrapper = ({ children }: { children: ReactNode }) => createElement(QueryClientProvider, { client: queries }, children);
  const { result } = renderHook(() => useDesign(3), { wrapper });
  // the design is changed twice before the first request is answered, and once more
  act(() => {
    result.current.find();
    result.current.find();
    result.current.find();
  });
  await waitFor(() => expect(owed).toHaveLength(1));
  await act(async () => owed[0]?.());
  await waitFor(() => expect(owed).toHaveLength(2)); // for the design as it is now
  await act(async () => owed[1]?.());
  expect(owed).toHaveLength(2); // and not once for each change
});
