import { useEffect, useMemo, useRef, useState } from "react";
import { useKeys } from "../ui/keys";
import { figure, metres } from "../ui/units";
import { useSize, useZoom } from "../ui/zoom";
import { collides, pieceAt, piecesWithin } from "./hand";
import { drawPlan, frameStarts, type Placed, placedPieces, type Run } from "./scene";

/** What the pointer holds, in millimetres of the roll: pieces, or a box that is drawn round some. */
type Drag = { from: [number, number]; to: [number, number] } & ({ kind: "pieces"; keys: string[] } | { kind: "box" });

const ROLL_WIDTH = 104;
const TOP = 26;
const RULER = 34;

/** The roll at true proportions: feed left to right, leading edge on the left, what is left of the roll on the right. */
export function RollCanvas({ run, selected, select, busy, move }: { run: Run; selected: string[]; select: (keys: string[]) => void; busy: boolean; move: (keys: string[], right: number, along: number) => void }) {
  const holder = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [width, height] = useSize(holder);
  const [drag, setDrag] = useState<Drag | null>(null);
  const pieces = useMemo(() => placedPieces(run), [run]);
  const pictures = usePictures(run);
  const long = Math.max(frameStarts(run).at(-1) ?? 0, run.stock_width_mm * 0.5);
  const base = Math.min((width - ROLL_WIDTH - 24) / (long * 1.12), (height - TOP - RULER) / run.stock_width_mm);

  const view = useRef({ k: 1, x: 0, y: 0 });
  /** A place of the screen in millimetres of the roll. */
  const toRoll = (event: { clientX: number; clientY: number }): [number, number] => {
    const area = canvas.current?.getBoundingClientRect();
    const { k, x, y } = view.current;
    return [(event.clientX - (area?.left ?? 0) - x) / k / base, ((event.clientY - (area?.top ?? 0) - y) / k - TOP) / base];
  };
  // a press on a piece moves it, with Shift a box is drawn; everything else pans
  const { transform, fit } = useZoom(canvas, 40, (event) => event.shiftKey || pieceAt(pieces, ...toRoll(event)) !== undefined);
  useEffect(() => {
    view.current = transform;
  }, [transform]);
  useKeys({ "0": fit, Escape: () => select([]) });

  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || !width || !(base > 0)) return;
    const ratio = window.devicePixelRatio;
    const [w, h] = [Math.round(width * ratio), Math.round(height * ratio)];
    if (context.canvas.width !== w || context.canvas.height !== h) Object.assign(context.canvas, { width: w, height: h });
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, width, height);
    drawScene(context, { run, pieces, pictures, selected, drag, base, width, height, k: transform.k, x: transform.x, y: transform.y, busy });
  }, [run, pieces, pictures, selected, drag, base, width, height, transform, busy]);

  const press = (event: React.PointerEvent) => {
    if (event.button !== 0) return;
    const from = toRoll(event);
    const hit = pieceAt(pieces, ...from);
    if (!hit && !event.shiftKey) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    if (!hit) return setDrag({ kind: "box", from, to: from });
    if (event.shiftKey) return select(selected.includes(hit.key) ? selected.filter((key) => key !== hit.key) : [...selected, hit.key]);
    if (!selected.includes(hit.key)) select([hit.key]);
    setDrag({ kind: "pieces", from, to: from, keys: selected.includes(hit.key) ? selected : [hit.key] });
  };
  const release = () => {
    if (drag) {
      const [du, dv] = [drag.to[0] - drag.from[0], drag.to[1] - drag.from[1]];
      if (drag.kind === "box") select(piecesWithin(pieces, drag.from, drag.to).map((piece) => piece.key));
      else if (Math.hypot(du, dv) * base * transform.k > 4) move(drag.keys, dv, du);
    }
    setDrag(null);
  };
  const pressed = useRef<[number, number]>([0, 0]);

  return (
    <div ref={holder} className="relative h-full w-full overflow-hidden">
      <canvas
        ref={canvas}
        onPointerDown={(event) => {
          pressed.current = [event.clientX, event.clientY];
          press(event);
        }}
        onPointerMove={(event) => drag && setDrag({ ...drag, to: toRoll(event) })}
        onPointerUp={release}
        onClick={(event) => {
          // a click beside every piece, and not the end of a pan, lets them go
          const still = Math.hypot(event.clientX - pressed.current[0], event.clientY - pressed.current[1]) < 4;
          if (still && !event.shiftKey && !pieceAt(pieces, ...toRoll(event))) select([]);
        }}
        aria-hidden="true" className="absolute inset-0 h-full w-full touch-none" />
      <ul className="sr-only" aria-label="Pieces on the roll">
        {pieces.map((piece) => (
          <li key={piece.key}>
            <button type="button" aria-pressed={selected.includes(piece.key)} onClick={() => select([piece.key])}>
              {piece.name}{run.document.pinned?.includes(piece.key) ? ", pinned," : ""} at {figure(piece.x, 0)}, {figure(piece.y, 0)} mm
            </button>
          </li>
        ))}
      </ul>
      {!run.layout && !busy && (
        <div className="absolute inset-0 flex items-center justify-center pr-[110px] text-center">
          <p className="text-slate">
            {run.document.items?.length ? "Nothing is nested yet. Press N." : "No designs in this run yet. Press A and choose some."}
          </p>
        </div>
      )}
    </div>
  );
}

type Picture = { image: HTMLImageElement; width: number; height: number };

/** The art of every design as a bitmap, loaded once. */
function usePictures(run: Run): Map<number, Picture> {
  const [pictures, setPictures] = useState<Map<number, Picture>>(new Map());
  const wanted = run.pieces.map((piece) => `${piece.design_id}:${piece.width_mm}:${piece.height_mm}`).join(",");
  useEffect(() => {
    let current = true;
    const loading = wanted.split(",").filter(Boolean).map(async (entry): Promise<[number, Picture]> => {
      const [id = 0, width = 0, height = 0] = entry.split(":").map(Number);
      const image = new Image();
      image.src = `/api/designs/${id}/thumb`;
      await image.decode();
      return [id, { image, width, height }];
    });
    void Promise.all(loading).then((entries) => current && setPictures(new Map(entries)));
    return () => {
      current = false;
    };
  }, [wanted]);
  return pictures;
}

type Scene = {
  run: Run;
  pieces: Placed[];
  pictures: Map<number, Picture>;
  selected: string[];
  drag: Drag | null;
  base: number;
  width: number;
  height: number;
  k: number;
  x: number;
  y: number;
  busy: boolean;
};

function drawScene(context: CanvasRenderingContext2D, scene: Scene) {
  const { run, pieces, pictures, selected, drag, base, width, height, k, x, y } = scene;
  const scale = base * k;
  const across = run.stock_width_mm;
  const paperEnd = width - ROLL_WIDTH - 14;
  context.save();
  context.beginPath();
  context.rect(0, 0, paperEnd, height);
  context.clip();
  context.translate(x, y + TOP * k);
  context.scale(scale, scale);
  const px = 1 / scale;
  // the stock runs on under the roll
  const end = (paperEnd - x) / scale + 1;
  context.fillStyle = "#fff";
  context.fillRect(0, 0, end, across);
  context.strokeStyle = "#C9C8BE";
  context.lineWidth = px;
  context.strokeRect(0, 0, end, across);
  for (const piece of pieces) {
    const picture = pictures.get(piece.designId);
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
  }
  context.lineJoin = "round";
  for (const [colour, thick] of [["#fff", 3], ["#008069", 1.3]] as const) {
    context.strokeStyle = colour;
    context.lineWidth = thick * px;
    for (const piece of pieces) context.stroke(piece.outline);
  }
  const starts = frameStarts(run);
  run.plans.forEach((plan, number) => {
    const start = starts[number] ?? 0;
    context.save();
    context.translate(start, 0);
    drawPlan(context, plan);
    context.restore();
    // where the sheet of a frame ends
    context.strokeStyle = "#5C666B";
    context.setLineDash([6 * px, 4 * px]);
    context.lineWidth = px;
    context.beginPath();
    context.moveTo(start + plan.length_mm, 0);
    context.lineTo(start + plan.length_mm, across);
    context.stroke();
    context.setLineDash([]);
  });
  for (const piece of pieces) if (run.document.pinned?.includes(piece.key)) drawPin(context, piece.box, px);
  for (const piece of pieces) if (selected.includes(piece.key)) drawBrackets(context, piece.box, px);
  if (drag) drawDrag(context, drag, pieces, px);
  context.restore();
  drawRuler(context, scene, paperEnd);
  drawRoll(context, run, TOP, Math.min(across * base, height - TOP - RULER), width);
  context.fillStyle = "#5C666B";
  context.font = "11px 'Archivo Variable', sans-serif";
  context.fillText("◂ leaves the printer first", Math.max(2, x), Math.max(14, y + TOP * k - 10));
}

/** What is held: its outline where it would go, and whether something lies there already. */
function drawDrag(context: CanvasRenderingContext2D, drag: Drag, pieces: Placed[], px: number) {
  const [du, dv] = [drag.to[0] - drag.from[0], drag.to[1] - drag.from[1]];
  context.lineWidth = 2 * px;
  if (drag.kind === "box") {
    context.strokeStyle = "#20262B";
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
    context.strokeStyle = "#fff";
    context.lineWidth = 5 * px;
    context.stroke(piece.outline);
    context.setLineDash(blocked ? [7 * px, 5 * px] : []);
    context.strokeStyle = blocked ? "#B3362B" : "#2E7D4F";
    context.lineWidth = 2.5 * px;
    context.stroke(piece.outline);
  }
  context.restore();
}

/** A pin through the middle of a piece. */
function drawPin(context: CanvasRenderingContext2D, [u0, v0, u1, v1]: Placed["box"], px: number) {
  const [u, v] = [(u0 + u1) / 2, (v0 + v1) / 2];
  context.fillStyle = "#20262B";
  context.strokeStyle = "#fff";
  context.lineWidth = 2 * px;
  context.beginPath();
  context.arc(u, v, 5 * px, 0, 2 * Math.PI);
  context.fill();
  context.stroke();
}

function drawBrackets(context: CanvasRenderingContext2D, [u0, v0, u1, v1]: Placed["box"], px: number) {
  const [gap, arm] = [4 * px, 12 * px];
  context.strokeStyle = "#20262B";
  context.lineWidth = 2 * px;
  for (const [u, v, du, dv] of [[u0 - gap, v0 - gap, 1, 1], [u1 + gap, v0 - gap, -1, 1], [u1 + gap, v1 + gap, -1, -1], [u0 - gap, v1 + gap, 1, -1]] as const) {
    context.beginPath();
    context.moveTo(u + du * arm, v);
    context.lineTo(u, v);
    context.lineTo(u, v + dv * arm);
    context.stroke();
  }
}

function drawRuler(context: CanvasRenderingContext2D, { base, k, x, height }: Scene, end: number) {
  const scale = base * k;
  const step = [5, 10, 20, 50, 100, 200, 500, 1000, 2000].find((one) => one * scale > 60) ?? 5000;
  context.fillStyle = "#5C666B";
  context.strokeStyle = "#5C666B";
  context.lineWidth = 1;
  context.font = "12px 'Archivo Variable', sans-serif";
  for (let mm = Math.max(0, Math.ceil(-x / scale / step) * step); x + mm * scale < end; mm += step) {
    const at = Math.round(x + mm * scale) + 0.5;
    context.beginPath();
    context.moveTo(at, height - 28);
    context.lineTo(at, height - 20);
    context.stroke();
    context.fillText(figure(mm, 0), at + 4, height - 10);
  }
}

/** The rest of the roll on its cardboard core. */
function drawRoll(context: CanvasRenderingContext2D, run: Run, top: number, across: number, width: number) {
  const left = width - ROLL_WIDTH;
  context.fillStyle = "#B98A54";
  context.fillRect(left + 20, top - 10, ROLL_WIDTH - 44, across + 20);
  context.fillStyle = "#F1EEE8";
  context.strokeStyle = "#C9C8BE";
  context.beginPath();
  context.roundRect(left, top, ROLL_WIDTH - 4, across, 7);
  context.fill();
  context.stroke();
  context.fillStyle = "#20262B";
  context.textAlign = "center";
  context.font = "18px 'Archivo Variable', sans-serif";
  context.fillText(metres(run.roll_left_mm), left + ROLL_WIDTH / 2 - 2, top + across / 2);
  context.fillStyle = "#5C666B";
  context.font = "12px 'Archivo Variable', sans-serif";
  context.fillText("left on roll", left + ROLL_WIDTH / 2 - 2, top + across / 2 + 18);
  context.textAlign = "left";
}
