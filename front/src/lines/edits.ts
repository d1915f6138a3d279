import type { Schemas } from "../api/client";

type Design = Schemas["DesignShown"];
type LineKind = Design["document"]["kind"];
type Edits = Design["document"]["line_edits"];

/** The changes by hand with one more: to the line that is shown as number `shown`, those taken out not counted. */
export function withEdit(edits: Edits, shown: number, edit: Partial<Omit<Edits[number], "line">> & { kind: LineKind | null }): Edits {
  const gone = new Set(edits.filter((edit) => edit.kind === null).map((edit) => edit.line));
  let line = 0;
  for (let seen = -1; ; line += 1) {
    if (!gone.has(line)) seen += 1;
    if (seen === shown) break;
  }
  const held = edits.find((other) => other.line === line) ?? { close: false, move_mm: [0, 0] };
  return [...edits.filter((other) => other.line !== line), { ...held, ...edit, line }];
}

/** How far the line shown as number `shown` was moved by hand. */
export function movedBy(edits: Edits, shown: number): [number, number] {
  const [found] = withEdit(edits, shown, { kind: "kiss" }).slice(-1);
  return (found?.move_mm as [number, number] | undefined) ?? [0, 0];
}
