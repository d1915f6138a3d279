// @vitest-environment jsdom
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { filesOf, folderOf, type Named, pasted } from "../../front/src/lines/dropped";
import { closed, json, opened } from "./answering";

const file = (name: string, size = 3) => new File([new Uint8Array(size)], name);
const named = (path: string): Named => ({ path, take: () => Promise.resolve(file(path)) });

/** What a browser tells of a folder: a hundred of its entries at a time. */
function folder(name: string, inside: object[], fullPath = `/${name}`) {
  return {
    name,
    fullPath,
    isFile: false,
    isDirectory: true,
    createReader: () => {
      let told = 0;
      return { readEntries: (take: (some: object[]) => void) => take(inside.slice(told, (told += 100))) };
    },
  };
}
const entry = (fullPath: string) => ({
  name: fullPath.slice(fullPath.lastIndexOf("/") + 1),
  fullPath,
  isFile: true,
  isDirectory: false,
  file: (take: (one: File) => void) => take(file(fullPath)),
});
const dropped = (entries: object[], files: File[] = []) =>
  ({ items: entries.map((one) => ({ webkitGetAsEntry: () => one })), files }) as unknown as DataTransfer;

test("all files of folders within folders come, by their numbers, without what computers put there", async () => {
  const many = Array.from({ length: 250 }, (_, number) => entry(`/Signs/many/${249 - number}.png`));
  const inside = [folder("many", many, "/Signs/many"), entry("/Signs/10.png"), entry("/Signs/9.png"), entry("/Signs/.DS_Store")];
  const found = await filesOf(dropped([folder("Signs", [...inside, entry("/Signs/Thumbs.db")])]));
  expect(found).toHaveLength(252);
  expect(found.slice(0, 3).map(({ path }) => path)).toEqual(["Signs/9.png", "Signs/10.png", "Signs/many/0.png"]);
  expect(found.slice(2).map(({ path }) => path)).toEqual(Array.from({ length: 250 }, (_, number) => `Signs/many/${number}.png`));
  expect(folderOf(found)).toBe("Signs");
  expect((await found[1]?.take())?.name).toBe("/Signs/10.png");
});

test("a job is called as a folder only when all came from it", () => {
  expect(folderOf([named("Signs/a.png"), named("Signs/in/b.png")])).toBe("Signs");
  expect(folderOf([named("Signs/a.png"), named("b.png")])).toBeUndefined();
  expect(folderOf([named("a.png"), named("b.png")])).toBeUndefined();
});

test("a copied picture gets a name, a drawing that was copied as text is a file, other text is none", () => {
  const held = (files: File[], text = "") => ({ files, getData: () => text }) as unknown as DataTransfer;
  expect(pasted(held([file("image.png")])).map(({ path }) => path)).toEqual(["Pasted.png"]);
  expect(pasted(held([file("a.pdf"), file("image.png")]))).toHaveLength(2);
  expect(pasted(held([], ' <?xml version="1.0"?>\n<!-- a --><svg viewBox="0 0 1 1"/>'))[0]?.path).toBe("Pasted.svg");
  expect(pasted(held([], "see the <svg> below"))).toEqual([]);
});

type Answer = { status: number; body: object };
let answers: Answer[];
let sent: FormData[];

/** Answers what is sent with the next of `answers`. */
class Request {
  upload = {};
  status = 0;
  responseText = "";
  onload = () => {};
  onerror = () => {};
  open() {}
  abort() {}
  send(form: FormData) {
    sent.push(form);
    const answer = answers.shift();
    if (!answer) return;
    this.status = answer.status;
    this.responseText = JSON.stringify(answer.body);
    queueMicrotask(() => (answer.status === 0 ? this.onerror() : this.onload()));
  }
}

beforeEach(() => {
  sent = [];
  // jsdom has none
  Blob.prototype.arrayBuffer ??= () => Promise.resolve(new ArrayBuffer(0));
  opened(async (request) => {
    const { names } = (await request.json()) as { names: string[] };
    return json({ sets: names.map((_, place) => [place]) });
  });
  vi.stubGlobal("XMLHttpRequest", Request);
});
afterEach(closed);

const made = (id: number): Answer => ({ status: 200, body: { ids: [id], job_id: 7, finding: null } });

test("what is refused stops no other; one that is no longer there is told without being sent", async () => {
  const { takeInMany, useManyFiles } = await import("../../front/src/lines/takingMany");
  answers = [made(1), { status: 422, body: { title: "It is damaged.", do: "Save it again." } }, made(2)];
  const gone = { path: "gone.png", take: () => Promise.reject(new Error("NotFoundError")) };
  const opens: number[] = [];
  const files = [named("a.png"), named("bad.png"), gone, named("c.png")];
  takeInMany({ files, jobName: "Signs", first: (id) => opens.push(id), more: () => {} });
  await vi.waitFor(() => expect(useManyFiles.getState().going).toBe(false));
  const { refused, designs, answered } = useManyFiles.getState();
  expect([designs, answered, opens]).toEqual([2, 4, [1]]);
  expect(refused.map(({ path }) => path)).toEqual(["bad.png", "gone.png"]);
  expect(refused[0]?.why).toBe("It is damaged. Save it again.");
  expect(sent.map((form) => [form.get("job_name"), form.get("job_id"), form.get("find")])).toEqual([
    ["Signs", null, "true"],
    [null, "7", null],
    [null, "7", null],
  ]);
});

test("a server that is away, or a sign-in that is over, holds everything until somebody says how it goes on", async () => {
  const { goOn, skip, takeInMany, useManyFiles } = await import("../../front/src/lines/takingMany");
  answers = [{ status: 0, body: {} }, { status: 401, body: { title: "Nobody is signed in here.", do: "Sign in." } }, made(1)];
  takeInMany({ files: [named("a.png"), named("b.png")], more: () => {} });
  await vi.waitFor(() => expect(useManyFiles.getState().held).toContain("may be in already"));
  goOn();
  await vi.waitFor(() => expect(useManyFiles.getState().held).toBe("Nobody is signed in here. Sign in."));
  skip();
  await vi.waitFor(() => expect(useManyFiles.getState().going).toBe(false));
  expect(useManyFiles.getState().designs).toBe(1);
  expect(useManyFiles.getState().refused).toEqual([{ path: "a.png", why: "It was left out." }]);
});

test("what was not sent when it was stopped is kept by name, and a new drop begins anew", async () => {
  const { stop, takeInMany, useManyFiles } = await import("../../front/src/lines/takingMany");
  answers = [made(1)]; // the second is never answered
  takeInMany({ files: [named("a.png"), named("b.png"), named("c.png")], more: () => {} });
  await vi.waitFor(() => expect(sent).toHaveLength(2));
  stop();
  expect(useManyFiles.getState().unsent).toEqual(["b.png", "c.png"]);
  answers = [made(2), made(3)];
  takeInMany({ files: [named("d.png"), named("e.png")], more: () => {} });
  await vi.waitFor(() => expect(useManyFiles.getState().going).toBe(false));
  expect(useManyFiles.getState()).toMatchObject({ all: 2, designs: 2, unsent: [], refused: [] });
});
