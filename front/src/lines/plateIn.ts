import type { Schemas } from "../api/client";
import { inkColour } from "../ui/inkColour";
import type { View } from "./ArtView";

/** The areas of one plate as they are drawn over the art; null where the view is of none. */
export function plateIn(view: View, design: Schemas["DesignShown"]) {
  if (view === "white" && design.white) return { d: design.white, fill: "white", fillOpacity: 0.92, stroke: "var(--color-slate)" };
  if (view === "clear" && design.clear)
    return { d: design.clear, fill: "var(--color-varnish)", fillOpacity: 0.5, stroke: "var(--color-varnish-deep)" };
  const special = design.specials.find(({ ink }) => view === `special ${ink}`);
  return special?.d ? { d: special.d, fill: inkColour(special.look), fillOpacity: 0.85, stroke: "var(--color-slate)" } : null;
}
