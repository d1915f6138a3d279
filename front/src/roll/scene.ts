import { ink } from "./ink";
import type { Schemas } from "../api/client";

export type Run = Schemas["RunShown"];
export type Plan = Schemas["PlanShown"];

/** A piece on the roll in screen axes: millimetres, u along the feed (leading edge 0), v across (x = 0 on top). */
export type Placed = {
  key: string;
  name: string;
  designId: number;
  outline: Path2D;
  corners: [number, number][];
  box: [number, number, number, number];
  x: number;
  y: number;
  rotation: number;
};

/** Where each frame begins along the roll, and at last where the run ends, in millimetres. Blanks lie on their bed, bed after bed. */
export function frameStarts(run: Run): number[] {
  const starts: number[] = [];
  let [end, bed, bedStart] = [0, 0, 0];
  for (const { lies, length_mm } of run.plans) {
    if (lies?.bed !== bed) bedStart = end;
    bed = lies?.bed ?? 0;
    starts.push(lies ? bedStart + lies.y_mm : end);
    end = lies ? bedStart + lies.length_mm : end + length_mm;
  }
  return [...starts, end];
}

/** Where a frame lies across the stock: a blank where it lies on its bed. */
export const acrossOf = (plan: Plan) => plan.lies?.x_mm ?? 0;

/** Every placed piece. The screen turns the run a quarter clockwise and never mirrors it: (u, v) = (y, x). */
export function placedPieces(run: Run): Placed[] {
  if (!run.layout || !run.plans.length) return [];
  const starts = frameStarts(run);
  const pieces = new Map(run.pieces.map((piece) => [String(piece.design_id), piece]));
  return run.layout.placements.flatMap((placement) => {
    const piece = pieces.get(placement.id);
    if (!piece) return [];
    const turn = ((placement.rotation_deg ?? 0) * Math.PI) / 180;
    const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
    const frame = run.plans[placement.sheet ?? 0];
    if (!frame) return [];
    const [x, y] = [
      placement.x_mm + frame.shift[0] + acrossOf(frame),
      placement.y_mm + frame.shift[1] + (starts[placement.sheet ?? 0] ?? 0),
    ];
    const corners = piece.outline.map(([px, py]): [number, number] => [y + px * sin + py * cos, x + px * cos - py * sin]);
    const outline = new Path2D();
    corners.forEach(([u, v], index) => (index ? outline.lineTo(u, v) : outline.moveTo(u, v)));
    outline.closePath();
    const [us, vs] = [corners.map((corner) => corner[0]), corners.map((corner) => corner[1])];
    const box: Placed["box"] = [Math.min(...us), Math.min(...vs), Math.max(...us), Math.max(...vs)];
    return [
      {
        key: `${placement.id}-${placement.copy}`,
        name: piece.name,
        designId: piece.design_id,
        outline,
        corners,
        box,
        x,
        y,
        rotation: placement.rotation_deg ?? 0,
      },
    ];
  });
}

/** Draw marks, codes, colour patches, arrow and slug in screen axes. */
export function drawPlan(context: CanvasRenderingContext2D, plan: Plan) {
  context.fillStyle = ink("ink");
  for (const mark of plan.marks) {
    context.beginPath();
    for (const ring of mark.rings) ring.forEach(([x, y], index) => (index ? context.lineTo(y, x) : context.moveTo(y, x)));
    context.fill("evenodd");
  }
  for (const code of plan.codes) {
    const [high, wide] = [code.height / code.rows.length, code.width / (code.rows[0]?.length ?? 1)];
    code.rows.forEach((row, fromTop) => {
      for (let column = 0; column < row.length; column++) {
        // the top row lies furthest along the feed
        if (row[column] === "1")
          context.fillRect(code.y + code.height - (fromTop + 1) * high, code.x + column * wide, high * 1.02, wide * 1.02);
      }
    });
  }
  for (const patch of plan.strip) {
    context.fillStyle = patch.colour;
    context.fillRect(patch.y, patch.x, patch.size, patch.size);
  }
  context.fillStyle = ink("ink");
  context.beginPath();
  plan.arrow.forEach(([x, y], index) => (index ? context.lineTo(y, x) : context.moveTo(y, x)));
  context.fill();
  context.save();
  // text runs across the stock, its top towards the far end
  context.translate(plan.slug_at[1], plan.slug_at[0]);
  context.rotate(Math.PI / 2);
  context.font = "3.9px 'B612 Mono', monospace";
  context.fillText(plan.slug, 0, 0);
  context.restore();
}
