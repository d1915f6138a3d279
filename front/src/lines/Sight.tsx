import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import { length, useUnit } from "../ui/units";

type Place = [number, number];
type Props = {
  /** The size of the art, mm. */
  size: Place;
  /** Where a place of the art (mm from its top left corner) is on the screen. */
  on: (x: number, y: number) => Place;
  /** The place is pressed, as with the pointer. */
  press: (x: number, y: number) => void;
};

/** Two presses of the sight are two opposite corners of an area: x, y, width and height in mm from the top left. */
export function AreaSight({ framed, ...props }: Omit<Props, "press"> & { framed: (area: [number, number, number, number]) => void }) {
  const [corner, setCorner] = useState<Place | null>(null);
  const [left, top] = corner ? props.on(...corner) : [0, 0];
  const press = (x: number, y: number) => {
    if (!corner) return setCorner([x, y]);
    const [from, to] = [Math.min(x, corner[0]), Math.min(y, corner[1])];
    framed([from, to, Math.abs(x - corner[0]), Math.abs(y - corner[1])]);
  };
  return (
    <>
      {corner && <div className="absolute h-2 w-2 -translate-1/2 bg-ink outline-2 outline-white" style={{ left, top }} />}
      <Sight {...props} press={press} />
    </>
  );
}

const WAYS: Record<string, Place> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/** A sight over the art that keys lead; a pointer sees none: arrows by a millimetre (Shift ten, Alt a tenth), Enter presses there. */
export function Sight({ size: [width, height], on, press }: Props) {
  const [[x, y], setPlace] = useState<Place>([width / 2, height / 2]);
  const unit = useUnit((state) => state.unit);
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => button.current?.focus({ preventScroll: true }), []);
  const move = (event: KeyboardEvent) => {
    const way = WAYS[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    const step = event.shiftKey ? 10 : event.altKey ? 0.1 : 1;
    const within = (value: number, most: number) => Math.min(most, Math.max(0, value));
    setPlace([within(x + way[0] * step, width), within(y + way[1] * step, height)]);
  };
  const [left, top] = on(x, y);
  return (
    <button
      ref={button}
      type="button"
      aria-label={`Sight at ${length(x, unit)} · ${length(height - y, unit)} ${unit}: arrow keys lead it, Enter presses there`}
      className="pointer-events-none absolute h-9 opacity-0 focus-visible:opacity-100 w-9 -translate-x-1/2 -translate-y-1/2 rounded-full"
      style={{ left, top }}
      onKeyDown={move}
      onClick={(event) => {
        event.stopPropagation();
        press(x, y);
      }}
    >
      <svg viewBox="-18 -18 36 36" className="h-full w-full" aria-hidden>
        <path d="M-17 0H-4M4 0H17M0 -17V-4M0 4V17" stroke="white" strokeWidth="4" />
        <path d="M-17 0H-4M4 0H17M0 -17V-4M0 4V17" stroke="var(--color-ink)" strokeWidth="1.6" />
      </svg>
    </button>
  );
}
