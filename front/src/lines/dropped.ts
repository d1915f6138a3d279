/** A file that was dropped or chosen, by its folder and name: `tins/jar.pdf`. It is taken up when it is sent: a folder of
 * thousands would keep the page waiting. */
export type Named = { path: string; take: () => Promise<File> };

/** What computers put into folders by themselves; nobody means it. */
const OF_THE_COMPUTER = /(^|\/)(\.[^/]*|Thumbs\.db|desktop\.ini|__MACOSX)(\/|$)/i;

export const named = (files: Iterable<File>): Named[] =>
  [...files].map((file) => ({ path: file.webkitRelativePath || file.name, take: () => Promise.resolve(file) }));

/** Everything that was dropped, folders opened (File and Directory Entries API, W3C). Has to be called while the event
 * is told: what was dropped is gone afterwards. */
export async function filesOf(dropped: DataTransfer): Promise<Named[]> {
  const entries = [...dropped.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (!entries.some((entry) => entry.isDirectory)) return named(dropped.files);
  const found: Named[] = [];
  for (const entry of entries) await gather(entry, found);
  return found.filter(({ path }) => !OF_THE_COMPUTER.test(path));
}

async function gather(entry: FileSystemEntry, found: Named[]) {
  const path = entry.fullPath.replace(/^\//, "");
  if (entry.isFile) {
    found.push({ path, take: () => new Promise<File>((take, fail) => (entry as FileSystemFileEntry).file(take, fail)) });
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inside: FileSystemEntry[] = [];
  for (;;) {
    // a hundred at a time, in any order, until none are left
    const some = await new Promise<FileSystemEntry[]>((take, fail) => reader.readEntries(take, fail));
    if (some.length === 0) break;
    inside.push(...some);
  }
  for (const one of inside.sort((a, b) => a.name.localeCompare(b.name, "en", { numeric: true }))) await gather(one, found);
}

/** How a drawing looks that was copied as text. */
const DRAWN = /^(<\?xml[^>]*\?>\s*)?(<!(--|DOCTYPE)[^>]*>\s*)*<svg[\s>]/i;

/** Files or a picture that were copied elsewhere, or a drawing that was copied as text. */
export function pasted(held: DataTransfer): Named[] {
  const files = [...held.files];
  if (files.length === 1 && files[0]?.name === "image.png") {
    // what a browser calls every picture that has no name
    return named([new File([files[0]], "Pasted.png", { type: "image/png" })]);
  }
  const text = held.getData("text/plain").trim();
  if (files.length === 0 && DRAWN.test(text)) return named([new File([text], "Pasted.svg", { type: "image/svg+xml" })]);
  return named(files);
}

/** What a job of files from one folder is called: as the folder. */
export function folderOf(files: Named[]): string | undefined {
  const tops = new Set(files.map(({ path }) => (path.includes("/") ? path.slice(0, path.indexOf("/")) : "")));
  return tops.size === 1 ? [...tops][0]?.slice(0, 120).trim() || undefined : undefined;
}
