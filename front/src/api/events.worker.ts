/**
 * One stream of events for all pages of this browser: HTTP/1.1 allows six connections to a server, and a page that is open in ten
 * tabs would use them up. Every page is told of every task; it keeps what it asked for.
 */
import { listen, type Message } from "./stream";

declare const self: { onconnect: ((event: MessageEvent) => void) | null };
const pages = new Set<MessagePort>();
let listening = false;

self.onconnect = (event) => {
  const [page] = event.ports;
  if (!page) return;
  pages.add(page);
  page.onmessage = () => pages.delete(page); // the page says that it goes
  if (!listening) listen((message: Message) => pages.forEach((one) => one.postMessage(message)));
  listening = true;
};
