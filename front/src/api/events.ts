import { listen, type Message } from "./stream";

type Told = Exclude<Message, "begun">;
type Follower = { told: (told: Told) => void; ask: () => void };
const followers = new Map<number, Set<Follower>>();
let begun = false;

function heard(message: Message) {
  const all = message === "begun" ? [...followers.values()] : [followers.get(message.task_id)];
  for (const of of all) of?.forEach((one) => (message === "begun" ? one.ask() : one.told(message)));
}

/** So often it is asked even when nothing is told: something between here and the server may hold a stream back. */
const ASK_MS = 5000;

/** Be told of a task; `ask` is called whenever something may have been missed. Returns what ends it. */
export function follow(task: number, follower: Follower): () => void {
  begin();
  const all = followers.get(task) ?? new Set();
  followers.set(task, all.add(follower));
  follower.ask();
  const asking = setInterval(follower.ask, ASK_MS);
  return () => {
    clearInterval(asking);
    all.delete(follower);
    if (all.size === 0) followers.delete(task);
  };
}

function begin() {
  if (begun) return;
  begun = true;
  if (typeof SharedWorker === "undefined") return listen(heard);
  const worker = new SharedWorker(new URL("./events.worker.ts", import.meta.url), { type: "module", name: "events" });
  worker.port.onmessage = (event: MessageEvent<Message>) => heard(event.data);
  window.addEventListener("pagehide", () => worker.port.postMessage("bye"));
  // a page that comes back out of the browser's memory was forgotten above
  window.addEventListener("pageshow", (event) => event.persisted && location.reload());
}
