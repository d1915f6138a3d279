import { drawOver, drawPiece, drawStock, type Picture, type View } from "./painting";
import type { Placed, Run } from "./scene";

/** What a bitmap of the roll is made from. */
export type Content = { run: Run; pieces: Placed[]; pictures: Map<number, Picture> };

/** A drawn view: pixels of the device, for the view it was drawn for. */
export type Bitmap = { canvas: HTMLCanvasElement; view: View; ratio: number };

const MANY = 300;
const SLICE_MS = 7;
const LARGEST_SPRITE = 900;

/** Draw the view in slices that leave the pointer its frames, then tell. A piece that stands there often is drawn once for each turn and
 * copied from then on. Returns a way to give up. */
export function drawBitmap(
  content: Content,
  view: View,
  width: number,
  height: number,
  ratio: number,
  done: (bitmap: Bitmap) => void,
): () => void {
  const canvas = document.createElement("canvas");
  Object.assign(canvas, { width: Math.round(width * ratio), height: Math.round(height * ratio) });
  const context = canvas.getContext("2d");
  if (!context) return () => {};
  const inMillimetres = () => context.setTransform(view.scale * ratio, 0, 0, view.scale * ratio, view.x * ratio, view.y * ratio);
  inMillimetres();
  drawStock(context, content.run, view, width);
  const seen = content.pieces.filter(
    ({ box }) =>
      box[2] * view.scale + view.x > 0 &&
      box[0] * view.scale + view.x < width &&
      box[3] * view.scale + view.y > 0 &&
      box[1] * view.scale + view.y < height,
  );
  const sprites = seen.length > MANY ? new Map<string, HTMLCanvasElement>() : null;
  let next = 0;
  let waiting = 0;
  const slice = () => {
    const until = performance.now() + SLICE_MS;
    while (next < seen.length && (performance.now() < until || next === 0)) {
      const piece = seen[next++] as Placed;
      const picture = content.pictures.get(piece.designId);
      const sprite = sprites && spriteOf(sprites, piece, picture, view.scale * ratio);
      if (sprite) {
        context.setTransform(1, 0, 0, 1, 0, 0);
        context.drawImage(
          sprite,
          Math.round((piece.box[0] * view.scale + view.x) * ratio) - EDGE,
          Math.round((piece.box[1] * view.scale + view.y) * ratio) - EDGE,
        );
        inMillimetres();
      } else drawPiece(context, piece, picture, 1 / view.scale);
    }
    if (next < seen.length) {
      waiting = requestAnimationFrame(slice);
      return;
    }
    drawOver(context, content.run, seen, 1 / view.scale);
    done({ canvas, view, ratio });
  };
  slice();
  return () => cancelAnimationFrame(waiting);
}

const EDGE = 3;

/** One piece at one turn as a small bitmap, its box EDGE pixels inside; null where that would be too large to keep. */
function spriteOf(
  sprites: Map<string, HTMLCanvasElement>,
  piece: Placed,
  picture: Picture | undefined,
  scale: number,
): HTMLCanvasElement | null {
  const key = `${piece.designId}:${piece.rotation.toFixed(2)}`;
  const known = sprites.get(key);
  if (known) return known;
  const [width, height] = [
    Math.ceil((piece.box[2] - piece.box[0]) * scale) + 2 * EDGE,
    Math.ceil((piece.box[3] - piece.box[1]) * scale) + 2 * EDGE,
  ];
  if (width > LARGEST_SPRITE || height > LARGEST_SPRITE) return null;
  const canvas = document.createElement("canvas");
  Object.assign(canvas, { width, height });
  const context = canvas.getContext("2d");
  if (!context) return null;
  context.setTransform(scale, 0, 0, scale, EDGE - piece.box[0] * scale, EDGE - piece.box[1] * scale);
  drawPiece(context, piece, picture, 1 / scale);
  sprites.set(key, canvas);
  return canvas;
}
