import type { Schemas } from "../api/client";
import type { ReactNode } from "react";
import type { Entry, Kind } from "./fields";
import { valueOf } from "./fields";
import { inkColour } from "../ui/inkColour";

/** A thing of the Shelf as a small picture. */
export function ThingPicture({ kind, row }: { kind: Kind; row: Entry }) {
  return (
    <svg width="46" height="46" viewBox="-23 -23 46 46" className="shrink-0" aria-hidden="true">
      {PICTURES[kind](row)}
    </svg>
  );
}

const RULE = "var(--color-rule)";
const CARD = "var(--color-card)";
const PINE = "var(--color-pine)";

const PICTURES: Record<Kind, (row: Entry) => ReactNode> = {
  special_ink: (row) => (
    <>
      <rect x="-18" y="-18" width="36" height="36" rx="4" fill={processColour(row)} stroke={RULE} />
      <path d="M-18 8L8 -18M-8 18L18 -8" stroke="white" strokeOpacity="0.7" strokeWidth="3" />
    </>
  ),
  ink_colour: (row) => <rect x="-18" y="-18" width="36" height="36" rx="4" fill={processColour(row)} stroke={RULE} />,
  mark_set: (row) => (
    <>
      <circle r="20" fill="none" stroke={RULE} strokeDasharray="3 3" />
      <MarkShape shape={"shape" in row && typeof row.shape === "string" ? row.shape : "disc"} />
    </>
  ),
  print_mode: (row) =>
    [-14, -7, 0, 7, 14].map((y, line) => (
      <path
        key={y}
        d={line % 2 && valueOf(row, "two_way") ? `M17 ${y}H-17l4 -3m-4 3l4 3` : `M-17 ${y}H17l-4 -3m4 3l-4 3`}
        fill="none"
        stroke={PINE}
        strokeWidth="2"
      />
    )),
  printer: () => (
    <>
      <rect x="-21" y="-14" width="42" height="16" rx="3" fill={CARD} stroke={RULE} />
      <path d="M-14 2H14L16 18H-16Z" fill="white" stroke={RULE} />
      <path d="M-9 12H9M-8 7H8" stroke={PINE} strokeWidth="2" />
    </>
  ),
  colour_profile: (row) => (
    <>
      <path d="M-20 16C-19 -2 -6 -22 4 -20C15 -17 21 4 18 13C13 20 -12 20 -20 16Z" fill={stockWhite(row)} stroke={RULE} />
      <path d="M-9 9L3 -12L11 9Z" fill="none" stroke={PINE} strokeWidth="2" />
    </>
  ),
  laminator: () => (
    <>
      <circle cy="-8" r="8" fill={CARD} stroke={RULE} />
      <circle cy="10" r="8" fill={CARD} stroke={RULE} />
      <path d="M-21 1H21" stroke="var(--color-kraft)" strokeWidth="2.5" />
    </>
  ),
  cutter: () => (
    <>
      <rect x="-21" y="-12" width="42" height="24" rx="3" fill={CARD} stroke={RULE} />
      <path d="M-21 0H21" stroke="var(--color-slate)" strokeWidth="3" />
      <rect x="-4" y="-7" width="8" height="14" fill={PINE} />
    </>
  ),
  finisher: () => (
    <>
      <rect x="-18" y="-20" width="36" height="40" fill="white" stroke={RULE} />
      <rect x="-12" y="-14" width="27" height="26" rx="3" fill={CARD} stroke={RULE} />
      <rect x="-16" y="14" width="6" height="6" fill="var(--color-ink)" />
    </>
  ),
  die: (row) => {
    const [columns, rows] = [Math.min(3, Number(valueOf(row, "columns"))), Math.min(3, Number(valueOf(row, "rows")))];
    const [wide, high] = [38 / columns, 38 / rows];
    const shape = "shape" in row && Array.isArray(row.shape) ? row.shape : [];
    const look = { fill: "white", stroke: "var(--color-kiss)", strokeWidth: "1.6" };
    return [...Array(columns * rows).keys()].map((cell) => {
      const at = { x: -19 + (cell % columns) * wide + 1.5, y: -19 + Math.floor(cell / columns) * high + 1.5 };
      const [w, h] = [wide - 3, high - 3];
      return shape.length > 0 ? (
        <polygon
          key={cell}
          points={shape.map(([across = 0, up = 0]) => `${at.x + across * w},${at.y + (1 - up) * h}`).join(" ")}
          {...look}
        />
      ) : (
        <rect key={cell} {...at} width={w} height={h} rx="2.5" {...look} />
      );
    });
  },
  holder: () => (
    <>
      <rect x="-20" y="-16" width="40" height="32" fill={CARD} stroke={RULE} />
      {[-16, -4, 8].map((x) => (
        <rect key={x} x={x} y="-10" width="8" height="20" rx="1" fill="white" stroke="var(--color-through)" strokeWidth="1.4" />
      ))}
    </>
  ),
  tool_card: () => <path d="M-5 -20H5V4L0 18L-5 4Z M-5 -4H5" fill={CARD} stroke="var(--color-slate)" strokeWidth="1.5" />,
  stock: () => <path d="M-16 -18H16V18H-16Z M16 18L8 18L16 10Z" fill="white" stroke={RULE} />,
  roll: (row) => {
    const share = Number(valueOf(row, "remaining_mm")) / Number(valueOf(row, "length_mm"));
    return (
      <>
        <circle r={8 + 13 * Math.sqrt(Math.max(0.03, share))} fill={CARD} stroke={RULE} />
        <circle r="5.5" fill="none" stroke="var(--color-kraft)" strokeWidth="3.4" />
      </>
    );
  },
};

function MarkShape({ shape }: { shape: Schemas["MarkSetShown"]["shape"] }) {
  const ink = "var(--color-ink)";
  if (shape === "square") return <rect x="-9" y="-9" width="18" height="18" fill={ink} />;
  if (shape === "ring") return <circle r="8.5" fill="none" stroke={ink} strokeWidth="4" />;
  if (shape === "cross") return <path d="M-10 0H10M0 -10V10" stroke={ink} strokeWidth="3.5" />;
  if (shape === "corner") return <path d="M-8 10V-8H10" fill="none" stroke={ink} strokeWidth="3.5" />;
  return <circle r="10" fill={ink} />;
}

/** The bare stock of a profile, as a screen shows it. */
export function stockWhite(row: Entry) {
  const [l, a, b] = ["white_l", "white_a", "white_b"].map((name) => Number(valueOf(row, name)));
  return `lab(${l} ${a} ${b})`;
}

/** What the four inks look like on a screen, roughly. */
const processColour = (row: Entry) => inkColour(["cyan", "magenta", "yellow", "black"].map((ink) => Number(valueOf(row, ink)) / 100));
