// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook } from "@testing-library/react";
import { createElement, type ReactNode } from "react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

/** A stream that the test speaks through. */
class Stream extends EventTarget {
  static readonly CLOSED = 2;
  static all: Stream[] = [];
  readyState = 1;
  onopen: (() => void) | null = null;
  onerror: (() => void) | null = null;
  constructor(readonly url: string) {
    super();
    Stream.all.push(this);
  }
  tell(data: object) {
    this.dispatchEvent(new MessageEvent("told", { data: JSON.stringify(data) }));
  }
}

const task = {
  id: 7,
  name: "nest",
  state: "running",
  result: null as object | null,
  problem: null,
};
let asked: string[] = [];

beforeEach(() => {
  asked = [];
  Stream.all = [];
  sessionStorage.clear();
  Object.assign(task, { state: "running", result: null });
  vi.resetModules();
  vi.stubGlobal("EventSource", Stream);
  // a browser asks relative to its page
  const Plain = Request;
  vi.stubGlobal("Request", function (url: string, init?: RequestInit) {
    return new Plain(new URL(url, location.href), init);
  });
  vi.stubGlobal("fetch", (request: Request) => {
    asked.push(`${request.method} ${new URL(request.url).pathname}`);
    return Promise.resolve(
      new Response(JSON.stringify(task), {
        headers: { "content-type": "application/json" },
      }),
    );
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const queries = new QueryClient();
const wrapper = ({ children }: { children: ReactNode }) => createElement(QueryClientProvider, { client: queries }, children);

async function started(done: (found: object) => void, failed = () => undefined) {
  const { useTask } = await import("../../front/src/api/tasks");
  const { result } = renderHook(() => useTask("layout", "nest 1", done, failed), { wrapper });
  await act(() => result.current.start("Nesting", () => Promise.resolve({ task_id: 7 })));
  return result;
}

test("a task is followed on the one stream and its end is asked for", async () => {
  const done = vi.fn();
  const result = await started(done);
  expect(Stream.all.map(({ url }) => url)).toEqual(["/api/tasks/events"]);
  act(() =>
    Stream.all[0]?.tell({
      task_id: 8,
      share: 0.9,
      words: "another",
      ended: false,
    }),
  );
  expect(result.current.progress).toEqual({
    taskId: 7,
    share: 0,
    words: "Nesting",
  });
  act(() =>
    Stream.all[0]?.tell({
      task_id: 7,
      share: 0.4,
      words: "1,200 mm",
      ended: false,
    }),
  );
  expect(result.current.progress).toEqual({
    taskId: 7,
    share: 0.4,
    words: "1,200 mm",
  });
  Object.assign(task, {
    state: "done",
    result: { found: "layout", run_id: 1 },
  });
  await act(async () => Stream.all[0]?.tell({ task_id: 7, share: 1, words: "Done", ended: true }));
  await vi.waitFor(() =>
    expect(done).toHaveBeenCalledExactlyOnceWith({
      found: "layout",
      run_id: 1,
    }),
  );
  expect(result.current.progress).toBeNull();
  expect(sessionStorage.getItem("task nest 1")).toBeNull();
});

test("what ended while the line was broken is found when it is back", async () => {
  const failed = vi.fn();
  await started(vi.fn(), failed);
  Object.assign(task, {
    state: "failed",
    problem: { what: "It does not fit.", do: "Take a wider roll." },
  });
  await act(async () => Stream.all[0]?.onopen?.());
  await vi.waitFor(() => expect(failed).toHaveBeenCalledOnce());
});

test("a stream that something holds back is not needed to find the end", async () => {
  vi.useFakeTimers();
  try {
    const done = vi.fn();
    await started(done);
    Object.assign(task, { state: "done", result: { found: "layout", run_id: 1 } });
    expect(done).not.toHaveBeenCalled();
    await act(() => vi.advanceTimersByTimeAsync(10_000));
    expect(done).toHaveBeenCalledOnce();
  } finally {
    vi.useRealTimers();
  }
});

test("a page that was loaded anew goes on with its task", async () => {
  sessionStorage.setItem("task nest 1", "7");
  const { useTask } = await import("../../front/src/api/tasks");
  const { result } = renderHook(() => useTask("layout", "nest 1", vi.fn()), { wrapper });
  expect(result.current.progress?.taskId).toBe(7);
  await vi.waitFor(() => expect(asked).toContain("GET /api/tasks/7"));
});

test("two presses before the first is answered ask once", async () => {
  const { useTask } = await import("../../front/src/api/tasks");
  const { result } = renderHook(() => useTask("print", "sending 1", vi.fn()), { wrapper });
  const sent = vi.fn(() => Promise.resolve({ task_id: 7 }));
  await act(() => Promise.all([result.current.start("Sending", sent), result.current.start("Sending", sent)]));
  expect(sent).toHaveBeenCalledOnce();
  expect(result.current.progress?.taskId).toBe(7);
});

test("work waits for the changes that were sent before it, so that it is done with them", async () => {
  const { useTask } = await import("../../front/src/api/tasks");
  const { result } = renderHook(() => useTask("layout", "nest 1", vi.fn()), { wrapper });
  const order: string[] = [];
  let answer = () => {};
  const edit = queries.getMutationCache().build(queries, {
    mutationFn: () => new Promise<void>((done) => (answer = done)).then(() => void order.push("edit")),
  });
  const edited = edit.execute(undefined);
  const nest = vi.fn(() => Promise.resolve({ task_id: order.push("nest") }));
  const nested = result.current.start("Nesting", nest);
  await vi.waitFor(() => expect(queries.isMutating()).toBe(1));
  expect(nest).not.toHaveBeenCalled();
  answer();
  await act(() => Promise.all([edited, nested]));
  expect(order).toEqual(["edit", "nest"]);
});
