import { cleanup } from "@testing-library/react";
import { vi } from "vitest";

export const json = (body: object) => new Response(JSON.stringify(body), { headers: { "content-type": "application/json" } });

/** A page that was just opened, and whose server answers as `answer` does. */
export function opened(answer: (request: Request) => Promise<Response>) {
  sessionStorage.clear();
  vi.resetModules();
  vi.stubGlobal("EventSource", class extends EventTarget {});
  const Plain = Request;
  vi.stubGlobal("Request", function (url: string, init?: RequestInit) {
    return new Plain(new URL(url, location.href), init);
  });
  vi.stubGlobal("fetch", answer);
}

export function closed() {
  cleanup();
  vi.unstubAllGlobals();
}
