import { Matrix4, Vector3 } from "three";
import type { Schemas } from "../../api/client";

export type Folds = Schemas["FoldShown"];
type Point = [number, number];

/** Where every panel is, when each hinge is turned by its degrees times `share`. As core.folding.folded does it. */
export function placed({ panels, hinges, stays }: Folds, share: number): Matrix4[] {
  const found: (Matrix4 | undefined)[] = panels.map(() => undefined);
  found[stays] = new Matrix4();
  const reached = [stays];
  for (const at of reached)
    for (const hinge of hinges) {
      if (hinge.first !== at && hinge.second !== at) continue;
      const other = hinge.first === at ? hinge.second : hinge.first;
      const ring = panels[other];
      const base = found[at];
      if (found[other] || !ring || !base) continue;
      found[other] = base.clone().multiply(turned(hinge.start, hinge.end, ring, hinge.degrees * share));
      reached.push(other);
    }
  return found.map((one) => one ?? new Matrix4());
}

/** Round the line of a hinge, so that the panel goes away from the printed side. */
function turned(start: Point, end: Point, ring: Point[], degrees: number): Matrix4 {
  const axis = new Vector3(end[0] - start[0], end[1] - start[1], 0).normalize();
  // the corner that is furthest from the hinge says on which side the panel lies
  const sides = ring.map(([x, y]) => axis.x * (y - start[1]) - axis.y * (x - start[0]));
  const side = sides.reduce((most, one) => (Math.abs(one) > Math.abs(most) ? one : most), 0);
  if (side > 0) axis.negate();
  return new Matrix4()
    .makeTranslation(start[0], start[1], 0)
    .multiply(new Matrix4().makeRotationAxis(axis, (degrees * Math.PI) / 180))
    .multiply(new Matrix4().makeTranslation(-start[0], -start[1], 0));
}
