import type { Schemas } from "../api/client";
import { areCorrected } from "../ui/ColourRows";

type Design = Schemas["DesignShown"];
/** The print mode that a design is seen as on, `of` which version it and its profile were, and whether what its inks do not reach is
 * striped. */
export type Proof = { mode: number; of: string; reach: boolean };

export const isCorrected = ({ document }: Design) => document.replaced.length > 0 || areCorrected(document);

/** Where the picture of a design comes from: the art as it came, or as it prints. */
export function pictureOf(design: Design, print: boolean) {
  return print && design.lines
    ? `/api/designs/${design.id}/print?art=${design.art_id}&state=${design.revision}`
    : `/api/designs/${design.id}/picture?art=${design.art_id}`;
}

/** The same as it is looked at: its colours corrected, or as on a stock. */
export function seenOf(design: Design, print: boolean, proof: Proof | null, mark: number | null) {
  if (!print || (!proof && !isCorrected(design))) return pictureOf(design, print);
  const how = proof ? (proof.reach ? "reach" : "stock") : "plate";
  const more = [proof ? `mode=${proof.mode}&of=${proof.of}` : "", mark === null ? "" : `mark=${mark}`, design.lines ? "" : "lines=none"];
  const state = `art=${design.art_id}&state=${design.revision}`;
  return `/api/designs/${design.id}/seen/${how}?${[state, ...more].filter(Boolean).join("&")}`;
}
