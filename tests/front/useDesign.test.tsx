// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import { createElement, type ReactNode } from "react";
import { afterEach, beforeEach, expect, test } from "vitest";
import { closed, json, opened } from "./answering";

/** The answers that a server still owes, in the order in which it was asked for lines. */
let owed: (() => void)[] = [];

beforeEach(() => {
  owed = [];
  opened((request) => {
    if (request.method !== "PUT") return Promise.resolve(json({ id: 3, revision: 1, document: {} }));
    return new Promise<Response>((answer) => owed.push(() => answer(json({ task_id: 40 + owed.length }))));
  });
});
afterEach(closed);

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
