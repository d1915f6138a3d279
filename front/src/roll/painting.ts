import { ink } from "./ink";
import { figure, metres } from "../ui/units";
import { collides } from "./hand";
import { acrossOf, drawPlan, frameStarts, type Placed, type Run } from "./scene";

/** What the pointer holds, in millimetres of the roll: pieces, or a box that is drawn round some. */
export type Drag = { from: [number, number]; to: [number, number] } & ({ kind: "pieces"; keys: string[] } | { kind: "box" });

export type Picture = { image: HTMLImageElement; width: number; height: number };

/** From millimetres of the roll to pixels of the view: `scale` pixels a millimetre, the corner of the stock at (x, y). */
export type View = { scale: number; x: number; y: number };

export const ROLL_WIDTH = 104;
export const TOP = 26;
export const RULER = 34;

/** The bare stock, running on under the roll; (u, v) millimetres. */
export function drawStock(context: CanvasRenderingContext2D, run: Run, view: View, width: number) {
  const end = (width - view.x) / view.scale + 1;
  context.fillStyle = "white";
  context.fillRect(0, 0, end, run.stock_width_mm);
  drawRooms(context, run);
  context.strokeStyle = ink("rule");
  context.lineWidth = 1 / view.scale;
  context.strokeRect(0, 0, end, run.stock_width_mm);
}

/** The room that each frame has for work: what of it stays shaded is left over. */
function drawRooms(context: CanvasRenderingContext2D, run: Run) {
  const starts = frameStarts(run);
  context.fillStyle = ink("kraft-wash");
  run.rooms.forEach(([x0, y0, x1, y1], frame) => context.fillRect((starts[frame] ?? 0) + y0, x0, y1 - y0, x1 - x0));
}

/** One piece with its art and its line. */
export function drawPiece(context: CanvasRenderingContext2D, piece: Placed, picture: Picture | undefined, px: number) {
  context.fillStyle = "white";
  context.fill(piece.outline);
  if (picture) {
    context.save();
    context.clip(piece.outline);
    // (u, v) = (y, x), then the piece's own turn; pictures hang down from their upper edge
    context.transform(0, 1, 1, 0, piece.y, piece.x);
    context.rotate((piece.rotation * Math.PI) / 180);
    context.scale(1, -1);
    context.drawImage(picture.image, 0, -picture.height, picture.width, picture.height);
    context.restore();
  }
  context.lineJoin = "round";
  for (const [colour, thick] of [
    ["white", 3],
    [ink("kiss"), 1.3],
  ] as const) {
    context.strokeStyle = colour;
    context.lineWidth = thick * px;
    context.stroke(piece.outline);
  }
}

/** Marks, codes, places of a bed, weed lines, pins, and where the sheet of every frame ends. */
export function drawOver(context: CanvasRenderingContext2D, run: Run, pieces: Placed[], px: number) {
  const starts = frameStarts(run);
  run.plans.forEach((plan, number) => {
    const start = starts[number] ?? 0;
    context.save();
    context.translate(start, acrossOf(plan));
    drawPlan(context, plan);
    context.strokeStyle = ink("slate");
    context.lineWidth = px;
    if (plan.lies) {
      context.strokeRect(0, 0, plan.length_mm, plan.width_mm);
      context.restore();
      return;
    }
    for (const place of run.places)
      if (place.y_mm + place.height_mm < plan.work[3] - plan.work[1] + 0.01) drawPlace(context, place, plan.work);
    drawWeed(context, run.weed[number] ?? [], px);
    drawEnd(context, run, plan.length_mm, px);
    context.restore();
  });
  const ends = new Map(
    run.plans.map(({ lies }, number) => [lies?.bed, (starts[number] ?? 0) - (lies?.y_mm ?? 0) + (lies?.length_mm ?? 0)]),
  );
  ends.forEach((end, bed) => bed && drawEnd(context, run, end, px));
  for (const piece of pieces) if (run.document.pinned.includes(piece.key)) drawPin(context, piece.box, px);
}

/** Where the sheet of a frame, or a bed, ends. */
function drawEnd(context: CanvasRenderingContext2D, run: Run, at: number, px: number) {
  context.strokeStyle = ink("slate");
  context.setLineDash([6 * px, 4 * px]);
  context.beginPath();
  context.moveTo(at, 0);
  context.lineTo(at, run.stock_width_mm);
  context.stroke();
  context.setLineDash([]);
}

/** A blank on the bed. */
function drawPlace(context: CanvasRenderingContext2D, place: Run["places"][number], work: Run["plans"][number]["work"]) {
  const [u, v] = [work[1] + place.y_mm, work[0] + place.x_mm];
  context.beginPath();
  if (place.shape === "rectangle") context.rect(u, v, place.height_mm, place.width_mm);
  else context.ellipse(u + place.height_mm / 2, v + place.width_mm / 2, place.height_mm / 2, place.width_mm / 2, 0, 0, 2 * Math.PI);
  context.stroke();
}

function drawWeed(context: CanvasRenderingContext2D, strokes: [number, number][][], px: number) {
  for (const [colour, thick] of [
    ["white", 3],
    [ink("kiss"), 1.3],
  ] as const) {
    context.strokeStyle = colour;
    context.lineWidth = thick * px;
    for (const stroke of strokes) {
      context.beginPath();
      stroke.forEach(([x, y], index) => (index ? context.lineTo(y, x) : context.moveTo(y, x)));
      context.stroke();
    }
  }
}

/** What is held: its outline where it would go, and whether something lies there already. */
export function drawDrag(context: CanvasRenderingContext2D, drag: Drag, pieces: Placed[], px: number) {
  const [du, dv] = [drag.to[0] - drag.from[0], drag.to[1] - drag.from[1]];
  context.lineWidth = 2 * px;
  if (drag.kind === "box") {
    context.strokeStyle = ink("ink");
    context.strokeRect(drag.from[0], drag.from[1], du, dv);
    return;
  }
  const held = pieces.filter((piece) => drag.keys.includes(piece.key));
  const blocked = collides(held, pieces, du, dv);
  context.save();
  context.translate(du, dv);
  context.fillStyle = blocked ? "rgb(179 54 43 / 0.25)" : "rgb(46 125 79 / 0.25)";
  for (const piece of held) {
    context.fill(piece.outline);
    // a white casing: it shows on any art
    context.setLineDash([]);
    context.strokeStyle = "white";
    context.lineWidth = 5 * px;
    context.stroke(piece.outline);
    context.setLineDash(blocked ? [7 * px, 5 * px] : []);
    context.strokeStyle = blocked ? ink("stop") : ink("go");
    context.lineWidth = 2.5 * px;
    context.stroke(piece.outline);
  }
  context.restore();
}

/** A pin through the middle of a piece. */
function drawPin(context: CanvasRenderingContext2D, [u0, v0, u1, v1]: Placed["box"], px: number) {
  const [u, v] = [(u0 + u1) / 2, (v0 + v1) / 2];
  context.fillStyle = ink("ink");
  context.strokeStyle = "white";
  context.lineWidth = 2 * px;
  context.beginPath();
  context.arc(u, v, 5 * px, 0, 2 * Math.PI);
  context.fill();
  context.stroke();
}

export function drawBrackets(context: CanvasRenderingContext2D, [u0, v0, u1, v1]: Placed["box"], px: number) {
  const [gap, arm] = [4 * px, 12 * px];
  context.strokeStyle = ink("ink");
  context.lineWidth = 2 * px;
  for (const [u, v, du, dv] of [
    [u0 - gap, v0 - gap, 1, 1],
    [u1 + gap, v0 - gap, -1, 1],
    [u1 + gap, v1 + gap, -1, -1],
    [u0 - gap, v1 + gap, 1, -1],
  ] as const) {
    context.beginPath();
    context.moveTo(u + du * arm, v);
    context.lineTo(u, v);
    context.lineTo(u, v + dv * arm);
    context.stroke();
  }
}

/** Millimetres along the feed, under the stock. */
export function drawRuler(context: CanvasRenderingContext2D, { scale, x, y }: View, across: number, height: number, end: number) {
  // under the stock while its edge is in view, else at the foot of the view
  const top = Math.min(height - 28, Math.max(TOP, y + across * scale + 6));
  const step = [5, 10, 20, 50, 100, 200, 500, 1000, 2000].find((one) => one * scale > 60) ?? 5000;
  context.fillStyle = ink("slate");
  context.strokeStyle = ink("slate");
  context.lineWidth = 1;
  context.font = "12px 'Archivo Variable', sans-serif";
  for (let mm = Math.max(0, Math.ceil(-x / scale / step) * step); x + mm * scale < end; mm += step) {
    const at = Math.round(x + mm * scale) + 0.5;
    context.beginPath();
    context.moveTo(at, top);
    context.lineTo(at, top + 8);
    context.stroke();
    context.fillText(figure(mm, 0), at + 4, top + 18);
  }
}

/** The rest of the roll on its cardboard core. */
export function drawRoll(context: CanvasRenderingContext2D, run: Run, top: number, across: number, width: number) {
  const left = width - ROLL_WIDTH;
  context.fillStyle = ink("kraft");
  context.fillRect(left + 20, top - 10, ROLL_WIDTH - 44, across + 20);
  context.fillStyle = ink("card");
  context.strokeStyle = ink("rule");
  context.beginPath();
  context.roundRect(left, top, ROLL_WIDTH - 4, across, 7);
  context.fill();
  context.stroke();
  context.fillStyle = ink("ink");
  context.textAlign = "center";
  context.font = "18px 'Archivo Variable', sans-serif";
  context.fillText(metres(run.roll_left_mm), left + ROLL_WIDTH / 2 - 2, top + across / 2);
  context.fillStyle = ink("slate");
  context.font = "12px 'Archivo Variable', sans-serif";
  context.fillText("left on roll", left + ROLL_WIDTH / 2 - 2, top + across / 2 + 18);
  context.textAlign = "left";
}
