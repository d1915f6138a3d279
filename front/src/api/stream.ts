import type { Schemas } from "./client";

/** What the stream tells: of a task, or that it began, perhaps again, and what happened before is not told. */
export type Message = Schemas["Told"] | "begun";
const AGAIN_MS = 2000;

/** Listen to all tasks; after a broken line again and again. */
export function listen(tell: (message: Message) => void) {
  const source = new EventSource("/api/tasks/events");
  source.onopen = () => tell("begun");
  source.addEventListener("told", (event) => tell(JSON.parse(event.data) as Schemas["Told"]));
  source.onerror = () => {
    // closed for good, not interrupted: the server was away for longer than a browser tries
    if (source.readyState === EventSource.CLOSED) setTimeout(() => listen(tell), AGAIN_MS);
  };
}
