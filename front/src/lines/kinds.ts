import type { Schemas } from "../api/client";
import { figure, length } from "../ui/units";

type Design = Schemas["DesignShown"];
export type Kind = Design["document"]["kind"];
export const KIND_WORDS: Record<string, string> = {
  kiss: "Kiss",
  through: "Through",
  perforation: "Perforation",
  crease: "Crease",
  score: "Score",
  pen: "Pen",
};
export const KINDS = Object.entries(KIND_WORDS).map(([kind, words]) => [kind as Kind, words.toLowerCase()] as [Kind, string]);

/** Where the art came from, in a few words. */
export function originOf(design: Design, unit: "mm" | "in"): string {
  if (design.form === "picture") {
    const fine = design.dpi ? `, ${figure(design.dpi, 0)} dpi at this size` : "";
    return `picture, ${figure(design.width_px, 0)} × ${figure(design.height_px, 0)} px${fine}`;
  }
  const art = `${design.form.toUpperCase()}, vectors kept`;
  if (!design.size_known) return `${art}, its size is not in the file`;
  const [wide, high] = [design.natural_width_mm, design.natural_height_mm].map((mm) => length(mm ?? 0, unit));
  return `${art}, ${wide} × ${high} ${unit} in the file`;
}

/** Lines added up by kind, in the order they first come. */
export function kindsOf(lines: NonNullable<Design["lines"]>) {
  const kinds = new Map<Kind, { kind: Kind; count: number; length_mm: number; nodes: number }>();
  for (const line of lines) {
    const sum = kinds.get(line.kind) ?? { kind: line.kind, count: 0, length_mm: 0, nodes: 0 };
    kinds.set(line.kind, {
      kind: line.kind,
      count: sum.count + 1,
      length_mm: sum.length_mm + line.length_mm,
      nodes: sum.nodes + line.nodes,
    });
  }
  return [...kinds.values()];
}
