import { create } from "zustand";

/** A change of a thing on the Shelf, and what it was before: undone and done again from this page. */
export type ShelfStep<Kind extends string = string> = {
  kind: Kind;
  id: number;
  words: string;
  before: Record<string, unknown>;
  after: Record<string, unknown>;
};

type Steps = { done: ShelfStep[]; undone: ShelfStep[] };
/** So many are held; older ones are on the Shelf for good. */
const MOST = 50;

export const useShelfSteps = create<Steps>(() => ({ done: [], undone: [] }));

/** Something was changed: what had been undone cannot come back. */
export function changed(step: ShelfStep) {
  useShelfSteps.setState(({ done }) => ({ done: [...done, step].slice(-MOST), undone: [] }));
}

/** A step was undone, or done again. */
export function stepped(way: "undo" | "redo") {
  useShelfSteps.setState(({ done, undone }) => {
    const step = way === "undo" ? done.at(-1) : undone.at(-1);
    if (!step) return {};
    return way === "undo" ? { done: done.slice(0, -1), undone: [...undone, step] } : { done: [...done, step], undone: undone.slice(0, -1) };
  });
}

/** What hands have changed of a row, as it was: null where nothing is another now. */
export function stepOf<Kind extends string>(
  kind: Kind,
  row: { id: number; name: string },
  changes: Record<string, unknown>,
): ShelfStep<Kind> | null {
  const held = row as Record<string, unknown>;
  const names = Object.keys(changes).filter((name) => JSON.stringify(held[name]) !== JSON.stringify(changes[name]));
  if (names.length === 0) return null;
  const of = (values: Record<string, unknown>) => Object.fromEntries(names.map((name) => [name, values[name]]));
  return { kind, id: row.id, words: `a change of ${row.name}`, before: of(held), after: of(changes) };
}
