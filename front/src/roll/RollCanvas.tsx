import { ink } from "./ink";
import { memo, useEffect, useMemo, useRef, useState } from "react";
import { useKeys } from "../ui/keys";
import { figure } from "../ui/units";
import { useSettled, useSize, useZoom } from "../ui/zoom";
import { type Bitmap, drawBitmap } from "./bitmaps";
import { pieceAt, piecesWithin } from "./hand";
import { Overview } from "./Overview";
import {
  type Drag,
  drawBrackets,
  drawDrag,
  drawRoll,
  drawRuler,
  drawStock,
  type Picture,
  ROLL_WIDTH,
  RULER,
  TOP,
  type View,
} from "./painting";
import { frameStarts, type Placed, placedPieces, type Run } from "./scene";

/** Share of the height that the stock takes at least. */
const LEAST_HEIGHT = 0.55;

/** The roll at true proportions: feed left to right, leading edge on the left, what is left of the roll on the right. What stands still is
 * kept as a bitmap, moved and scaled with the hand, and drawn anew once the hand rests. */
export function RollCanvas({
  run,
  selected,
  select,
  busy,
  move,
}: {
  run: Run;
  selected: string[];
  select: (keys: string[]) => void;
  busy: boolean;
  move: (keys: string[], right: number, along: number) => void;
}) {
  const holder = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [width, height] = useSize(holder);
  const [drag, setDrag] = useState<Drag | null>(null);
  const pieces = useMemo(() => placedPieces(run), [run]);
  const pictures = usePictures(run);
  const long = Math.max(frameStarts(run).at(-1) ?? 0, run.stock_width_mm * 0.5);
  const whole = (width - ROLL_WIDTH - 24) / (long * 1.12);
  const high = (height - TOP - RULER) / run.stock_width_mm;
  // a long run goes on past the view: its pieces stay large enough to be told apart
  const base = Math.min(Math.max(whole, LEAST_HEIGHT * high), high);
  const paperEnd = width - ROLL_WIDTH - 14;

  const held = useRef<View>({ scale: 1, x: 0, y: 0 });
  /** A place of the screen in millimetres of the roll. */
  const toRoll = (event: { clientX: number; clientY: number }): [number, number] => {
    const area = canvas.current?.getBoundingClientRect();
    const { scale, x, y } = held.current;
    return [(event.clientX - (area?.left ?? 0) - x) / scale, (event.clientY - (area?.top ?? 0) - y) / scale];
  };
  const panning = useSpace();
  // a press on a piece moves it, with Space held it pans, with Shift a box is drawn; everything else pans
  const { transform, fit, shift } = useZoom(
    canvas,
    40,
    (event) => !panning.current && (event.shiftKey || pieceAt(pieces, ...toRoll(event)) !== undefined),
  );
  const view = useMemo(() => viewOf(transform, base), [transform, base]);
  useEffect(() => {
    held.current = view;
  }, [view]);
  useKeys({ "0": fit, Escape: () => select([]) });

  const rested = useSettled(transform);
  const bitmaps = useBitmaps(
    run,
    pieces,
    pictures,
    useMemo(() => viewOf(rested, base), [rested, base]),
    useMemo(() => viewOf({ k: 1, x: 0, y: 0 }, Math.min(whole, base)), [whole, base]),
    paperEnd,
    height,
  );
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context || !width || !(base > 0)) return;
    const ratio = window.devicePixelRatio;
    const [w, h] = [Math.round(width * ratio), Math.round(height * ratio)];
    if (context.canvas.width !== w || context.canvas.height !== h) Object.assign(context.canvas, { width: w, height: h });
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, width, height);
    context.save();
    context.beginPath();
    context.rect(0, 0, paperEnd, height);
    context.clip();
    drawMoved(context, run, bitmaps, view, paperEnd);
    context.translate(view.x, view.y);
    context.scale(view.scale, view.scale);
    const px = 1 / view.scale;
    const chosen = new Set(selected);
    for (const piece of pieces) if (chosen.has(piece.key)) drawBrackets(context, piece.box, px);
    if (drag) drawDrag(context, drag, pieces, px);
    context.restore();
    drawRuler(context, view, run.stock_width_mm, height, paperEnd);
    drawRoll(context, run, TOP, Math.min(run.stock_width_mm * base, height - TOP - RULER), width);
    context.fillStyle = ink("slate");
    context.font = "11px 'Archivo Variable', sans-serif";
    context.fillText("◂ leaves the printer first", Math.max(2, view.x), Math.max(14, view.y - 10));
  }, [run, pieces, bitmaps, selected, drag, base, width, height, paperEnd, view]);

  const press = (event: React.PointerEvent) => {
    if (event.button !== 0 || panning.current) return;
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
      else if (Math.hypot(du, dv) * view.scale > 4) move(drag.keys, dv, du);
    }
    setDrag(null);
  };
  const pressed = useRef<[number, number]>([0, 0]);

  return (
    <>
      <div ref={holder} className="relative mt-2 min-h-0 w-full flex-1 overflow-hidden">
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
          aria-hidden="true"
          className="absolute inset-0 h-full w-full touch-none"
        />
        <PieceList run={run} pieces={pieces} selected={selected} select={select} />
        {!run.layout && !busy && (
          <div className="absolute inset-0 flex items-center justify-center pr-[110px] text-center">
            <p className="text-slate">
              {run.document.items?.length ? "Nothing is nested yet. Press N." : "No designs in this run yet. Press A and choose some."}
            </p>
          </div>
        )}
      </div>
      <Overview
        run={run}
        seen={[-view.x / view.scale, (paperEnd - view.x) / view.scale]}
        goTo={(mm) => shift(paperEnd / 2 - mm * view.scale)}
      />
    </>
  );
}

/** Whether Space is held; then every drag pans. */
function useSpace() {
  const held = useRef(false);
  useEffect(() => {
    const turn = (down: boolean) => (event: KeyboardEvent) => {
      if (event.key !== " " || (down && (event.target as HTMLElement).closest("input, textarea, button, a, [role=radio]"))) return;
      held.current = down;
      if (down) event.preventDefault();
    };
    const [pressed, released] = [turn(true), turn(false)];
    window.addEventListener("keydown", pressed);
    window.addEventListener("keyup", released);
    return () => {
      window.removeEventListener("keydown", pressed);
      window.removeEventListener("keyup", released);
    };
  }, []);
  return held;
}

/** Where the stock lies for a transform of the whole view; below the words above it. */
function viewOf({ k, x, y }: { k: number; x: number; y: number }, base: number): View {
  return { scale: base * k, x, y: y + TOP * k };
}

/** The whole run as it was drawn, then the stretch that was in view last; both moved to where they are now. */
function drawMoved(context: CanvasRenderingContext2D, run: Run, bitmaps: Bitmap[], view: View, width: number) {
  if (!bitmaps.length) {
    context.save();
    context.translate(view.x, view.y);
    context.scale(view.scale, view.scale);
    drawStock(context, run, view, width);
    context.restore();
  }
  // a far picture drawn larger must not smear past the edge of the stock
  context.save();
  context.beginPath();
  context.rect(view.x - 1, view.y - 1, width + Math.abs(view.x) + 2, run.stock_width_mm * view.scale + 2);
  context.clip();
  for (const { canvas, view: drawn, ratio } of bitmaps) {
    const scale = view.scale / drawn.scale;
    context.imageSmoothingEnabled = scale !== 1;
    context.drawImage(
      canvas,
      view.x - drawn.x * scale,
      view.y - drawn.y * scale,
      (canvas.width / ratio) * scale,
      (canvas.height / ratio) * scale,
    );
  }
  context.restore();
}

/** Bitmaps of the whole run and of the view where it rests. */
function useBitmaps(
  run: Run,
  pieces: Placed[],
  pictures: Map<number, Picture>,
  rested: View,
  whole: View,
  width: number,
  height: number,
): Bitmap[] {
  const [far, setFar] = useState<Bitmap | null>(null);
  const [near, setNear] = useState<Bitmap | null>(null);
  useEffect(() => {
    if (!(whole.scale > 0) || width <= 0 || height <= 0) return;
    return drawBitmap({ run, pieces, pictures }, whole, width, height, window.devicePixelRatio, setFar);
  }, [run, pieces, pictures, whole, width, height]);
  const same = rested.scale === whole.scale && rested.x === whole.x && rested.y === whole.y;
  useEffect(() => {
    if (same || !(rested.scale > 0) || width <= 0 || height <= 0) return;
    return drawBitmap({ run, pieces, pictures }, rested, width, height, window.devicePixelRatio, setNear);
  }, [run, pieces, pictures, rested, same, width, height]);
  return useMemo(() => [far, same ? null : near].filter((one) => one !== null), [far, near, same]);
}

/** The same pieces for keyboards, screen readers and tests. */
const PieceList = memo(function PieceList({
  run,
  pieces,
  selected,
  select,
}: {
  run: Run;
  pieces: Placed[];
  selected: string[];
  select: (keys: string[]) => void;
}) {
  const [chosen, pinned] = [new Set(selected), new Set(run.document.pinned)];
  return (
    <ul className="sr-only" aria-label="Pieces on the roll">
      {pieces.map((piece) => (
        <li key={piece.key}>
          <button type="button" aria-pressed={chosen.has(piece.key)} onClick={() => select([piece.key])}>
            {piece.name}
            {pinned.has(piece.key) ? ", pinned," : ""} at {figure(piece.x, 0)}, {figure(piece.y, 0)} mm
          </button>
        </li>
      ))}
    </ul>
  );
});

/** The art of every design as a bitmap, loaded once. */
function usePictures(run: Run): Map<number, Picture> {
  const [pictures, setPictures] = useState<Map<number, Picture>>(new Map());
  const wanted = run.pieces.map((piece) => `${piece.design_id}:${piece.width_mm}:${piece.height_mm}`).join(",");
  useEffect(() => {
    let current = true;
    const loading = wanted
      .split(",")
      .filter(Boolean)
      .map(async (entry): Promise<[number, Picture]> => {
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
