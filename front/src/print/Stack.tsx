import { Eye } from "lucide-react";
import { type CSSProperties, type ReactNode, useState } from "react";
import type { PlateSet } from "../api/usePrint";
import { Button, TextButton } from "../ui/Button";
import { inkColour } from "../ui/inkColour";
import { Fold } from "../ui/Row";
import type { Station } from "./useStation";

/** The layers of a frame as they lie on the stock, the last one on top; any of them can be moved up or down. */
export function Stack({ station }: { station: Station }) {
  const { shown, side, setSide, set, plating } = station;
  // while plates are made anew, what was there last stays
  const [last, setLast] = useState(station.plate);
  if (station.plate && station.plate !== last) setLast(station.plate);
  const plate = station.plate ?? last;
  if (!plate || plate.order.length < 2) return null;
  const { order } = plate;
  const fromTop = [...order].reverse();
  // until its plates are made anew a second step would be made from the order before the first
  const still = plating.progress !== null || station.plate === null;
  const move = (at: number, by: 1 | -1) => {
    const next = [...order];
    const [layer] = next.splice(at, 1);
    if (still || layer === undefined) return;
    next.splice(at + by, 0, layer);
    set(`${layer} ${by > 0 ? "further up" : "further down"}`, { stack: next });
  };
  const both = order.includes("other side");
  return (
    <Fold name="print stack" title="Stack of layers">
      <Look from={plate.seen_through ? (both ? "the other side is seen from here" : null) : "seen from here"} />
      <ol aria-label="Layers, the last one laid down first">
        {fromTop.map((name, down) => {
          const at = order.length - 1 - down;
          return (
            <li key={name} className="flex h-10 items-center gap-1.5">
              <button
                type="button"
                aria-pressed={side === name}
                onClick={() => setSide(name)}
                className={`${layerLook} hover:bg-pine-wash aria-pressed:font-semibold`}
              >
                <span aria-hidden className="h-6 w-16 shrink-0 border border-slate/50 shadow-sm" style={slab(name, plate)} />
                <span className="truncate">{name}</span>
              </button>
              <Step words={`${name} further up`} off={down === 0} press={() => move(at, 1)}>
                ↑
              </Step>
              <Step words={`${name} further down`} off={at === 0} press={() => move(at, -1)}>
                ↓
              </Step>
            </li>
          );
        })}
      </ol>
      <div className={`${layerLook} text-slate`}>
        <span aria-hidden className="h-6 w-16 shrink-0 border border-slate/50" style={STOCK} />
        <span className="truncate">{shown.stock_name}</span>
      </div>
      <Look from={plate.seen_through ? "seen from here, through the stock" : both ? "the other side is seen from here" : null} />
      {shown.settings.stack.length > 0 && (
        <TextButton onClick={() => set("the usual stack", { stack: [] })}>Lay them down as is usual</TextButton>
      )}
    </Fold>
  );
}

const layerLook = "flex h-9 min-w-0 flex-1 items-center gap-2.5 rounded-[5px] px-1 text-left";

function Look({ from }: { from: string | null }) {
  return from === null ? null : (
    <p className="flex items-center gap-2 py-0.5 pl-1 text-[12px] text-slate">
      <Eye aria-hidden size={15} /> {from}
    </p>
  );
}

function Step({ words, off, press, children }: { words: string; off: boolean; press: () => void; children: ReactNode }) {
  return (
    <Button narrow aria-label={words} title={words} disabled={off} onClick={press}>
      {children}
    </Button>
  );
}

const STOCK = { background: "repeating-linear-gradient(135deg, white 0 5px, var(--color-shade) 5px 10px)" };
const COLOURS = `linear-gradient(90deg, ${[
  [1, 0, 0, 0],
  [0, 1, 0, 0],
  [0, 0, 1, 0],
  [0, 0, 0, 1],
]
  .map((inks, at) => `${inkColour(inks)} ${at * 25}% ${at * 25 + 25}%`)
  .join(", ")})`;
const GROUNDS: Record<string, string> = {
  colour: COLOURS,
  "other side": COLOURS,
  white: "white",
  "white again": "white",
  blocker: "color-mix(in srgb, var(--color-ink) 85%, white)",
  primer: "var(--color-card)",
  clear: "color-mix(in srgb, var(--color-varnish) 45%, white)",
  height: "color-mix(in srgb, var(--color-varnish) 75%, white)",
  braille: "radial-gradient(circle, var(--color-ink) 1.5px, white 2px) 0 0 / 8px 8px",
};

/** What a layer looks like from the side, roughly. */
function slab(name: string, plate: PlateSet): CSSProperties {
  return { background: GROUNDS[name] ?? inkColour(plate.looks[name] ?? []) };
}
