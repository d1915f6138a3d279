import { memo, useEffect, useRef, useState } from "react";
import type { Braille } from "../api/useBraille";
import type { Schemas } from "../api/client";
import { useKeys } from "../ui/keys";
import { length, useUnit } from "../ui/units";
import { useSettled, useSize, useZoom } from "../ui/zoom";
import { plateIn } from "./plateIn";
import { LinePaths } from "./LinePaths";
import { pictureOf, type Proof, seenOf } from "./seen";
import { AreaSight, Sight } from "./Sight";
import { ownMarks } from "./useStation";

export type View = "art" | "lines" | "bleed" | "print" | "white" | "clear" | `special ${number}`;
type Design = Schemas["DesignShown"];
type Finding = Schemas["Finding"];
/** How far beside a path it is still pressed. */
const FINGER_PX = 7;
/** Pixels a millimetre at which a finding is shown. */
const CLOSE_MM = 22;

/** The art at true proportions with its lines; everything is drawn in millimetres, y down. */
export function ArtView({
  design,
  lines,
  view,
  proof,
  mark,
  stale,
  picked,
  pointed,
  finding,
  chosen,
  choose,
  move,
  framed,
}: {
  design: Design;
  lines: Design["lines"];
  view: View;
  /** The stock that the print is seen as on. */
  proof: Proof | null;
  /** The replaced colour whose places are striped. */
  mark: number | null;
  stale: boolean;
  picked?: (colour: string) => void;
  /** Told where the art was pressed, in its millimetres from the lower left corner, and how far a finger reaches. */
  pointed?: (x: number, y: number, reach: number) => void;
  finding?: Finding;
  chosen: number | null;
  choose: (index: number) => void;
  move: (right: number, up: number) => void;
  framed?: (area: Area) => void;
}) {
  const frame = useRef<HTMLDivElement>(null);
  const [width, height] = useSize(frame);
  const { transform, fit, to } = useZoom(frame);
  const unit = useUnit((state) => state.unit);
  useKeys({ "0": fit });
  // without a size the art is shown as if it were 100 mm wide: only its proportions mean anything then
  const artWidth = design.document.width_mm ?? 100;
  const artHeight = (artWidth * (design.natural_height_mm ?? design.height_px)) / (design.natural_width_mm ?? design.width_px);
  const source = pictureOf(design, view !== "art");
  const margin =
    Math.max(design.document.follow === "none" ? 0 : design.document.offset_mm, 0) +
    design.document.more.reduce((sum, line) => sum + Math.max(line.offset_mm, 0), 0) +
    3;
  const base = Math.max(0.01, Math.min((width - 60) / (artWidth + 2 * margin), (height - 70) / (artHeight + 2 * margin)));
  const left = (width - artWidth * base) / 2;
  const top = (height - 24 - artHeight * base) / 2;
  const settled = useSettled(transform);
  const grown = transform.k / settled.k;
  const moved = `translate(${transform.x - settled.x * grown}px, ${transform.y - settled.y * grown}px) scale(${grown})`;
  const place = finding && { x: left + finding.x * base, y: top + (artHeight - finding.y) * base };
  const seen = useRef<Finding | undefined>(undefined);
  useEffect(() => {
    // a finding is brought close once, when it is chosen; after that the hands may move the view
    if (place && finding !== seen.current && width > 0) to(place.x, place.y, Math.max(1, Math.min(60, CLOSE_MM / base)));
    if (width > 0) seen.current = finding;
  });
  const press = async (x: number, y: number) => {
    pointed?.(x, artHeight - y, FINGER_PX / base / transform.k);
    const colour = picked && (await colourAt(source, x / artWidth, y / artHeight));
    if (colour) picked(colour);
  };
  const toArt = (clientX: number, clientY: number): [number, number] => {
    const box = frame.current?.getBoundingClientRect();
    const [x, y] = transform.invert([clientX - (box?.left ?? 0), clientY - (box?.top ?? 0)]);
    return [(x - left) / base, (y - top) / base];
  };
  const size: [number, number] = [artWidth, artHeight];
  const onScreen = (x: number, y: number): [number, number] => [transform.applyX(left + x * base), transform.applyY(top + y * base)];
  const ruler = top + (artHeight + margin) * base + 10;
  return (
    /* eslint-disable-next-line jsx-a11y/click-events-have-key-events, jsx-a11y/no-noninteractive-element-interactions --
       keys have a sight of their own */
    <div
      ref={frame}
      role="group"
      aria-label={`${design.document.name}, ${view}`}
      className={`relative h-full w-full touch-none overflow-hidden ${picked || pointed ? "cursor-crosshair" : ""}`}
      onClick={(event) => void press(...toArt(event.clientX, event.clientY))}
    >
      <div className="absolute inset-0" style={{ transform: moved, transformOrigin: "0 0", willChange: "transform" }}>
        <Drawing
          design={design}
          lines={lines}
          view={view}
          stale={stale}
          source={seenOf(design, view !== "art", proof, mark)}
          placed={`${settled.toString()} translate(${left},${top}) scale(${base})`}
          scale={base * settled.k}
          artWidth={artWidth}
          artHeight={artHeight}
          chosen={chosen}
          choose={picked || pointed ? undefined : choose}
          move={move}
        />
      </div>
      <svg className="pointer-events-none absolute inset-0 h-full w-full">
        {design.document.area && view !== "print" && <AreaFrame area={design.document.area as Area} place={onScreen} />}
        {view !== "print" && <OwnMarks design={design} place={(x, y) => onScreen(x, artHeight - y)} />}
        {place && finding && <Callout finding={finding} x={transform.applyX(place.x)} y={transform.applyY(place.y)} width={width} />}
        {design.document.width_mm !== null && transform.k === 1 && (
          <g stroke="var(--color-slate)" fill="var(--color-ink)" fontSize="13">
            <path
              d={`M${left} ${ruler - 6}v12M${left + artWidth * base} ${ruler - 6}v12M${left} ${ruler}H${left + artWidth * base}`}
              fill="none"
            />
            <rect x={width / 2 - 42} y={ruler - 10} width="84" height="20" fill="white" stroke="none" />
            <text x={width / 2} y={ruler + 4.5} textAnchor="middle" stroke="none">
              {length(design.document.width_mm, unit)} {unit}
            </text>
          </g>
        )}
      </svg>
      {(picked ?? pointed) && <Sight key={picked ? "ground" : "mark"} size={size} on={onScreen} press={(x, y) => void press(x, y)} />}
      {framed && <AreaDrag toArt={toArt} framed={framed} />}
      {framed && <AreaSight size={size} on={onScreen} framed={framed} />}
    </div>
  );
}

type Area = [number, number, number, number];

function AreaFrame({ area: [x, y, width, height], place }: { area: Area; place: (x: number, y: number) => [number, number] }) {
  const [left, top] = place(x, y);
  const [right, bottom] = place(x + width, y + height);
  const arm = Math.min(18, (right - left) / 3, (bottom - top) / 3);
  const corner = (cx: number, cy: number, dx: number, dy: number) => `M${cx + dx * arm} ${cy}H${cx}V${cy + dy * arm}`;
  return (
    <path
      d={corner(left, top, 1, 1) + corner(right, top, -1, 1) + corner(left, bottom, 1, -1) + corner(right, bottom, -1, -1)}
      fill="none"
      stroke="var(--color-ink)"
      strokeWidth="2.5"
    />
  );
}

/** A ring round each mark that the page brings along, with its number. */
function OwnMarks({ design, place }: { design: Design; place: (x: number, y: number) => [number, number] }) {
  return ownMarks(design)?.places.map(([x, y], index) => {
    const [cx, cy] = place(x, y);
    return (
      <g key={index} data-testid="own-mark">
        <circle cx={cx} cy={cy} r="11" fill="none" stroke="white" strokeWidth="5" />
        <circle cx={cx} cy={cy} r="11" fill="none" stroke="var(--color-pine)" strokeWidth="2.5" />
        <text
          x={cx + 15}
          y={cy + 5}
          fontSize="13"
          fontWeight="600"
          fill="var(--color-pine)"
          stroke="white"
          strokeWidth="3"
          paintOrder="stroke"
        >
          {index + 1}
        </text>
      </g>
    );
  });
}

/** Takes the pointer over while an area is drawn; tells it in millimetres from the top left of the art. */
function AreaDrag({ toArt, framed }: { toArt: (x: number, y: number) => [number, number]; framed: (area: Area) => void }) {
  const [from, setFrom] = useState<[number, number] | null>(null);
  const [to, setTo] = useState<[number, number] | null>(null);
  const drawn =
    from && to
      ? {
          left: Math.min(from[0], to[0]),
          top: Math.min(from[1], to[1]),
          width: Math.abs(to[0] - from[0]),
          height: Math.abs(to[1] - from[1]),
        }
      : null;
  return (
    <div
      data-still
      className="absolute inset-0 cursor-crosshair touch-none"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setFrom([event.clientX, event.clientY]);
        setTo([event.clientX, event.clientY]);
      }}
      onPointerMove={(event) => from && setTo([event.clientX, event.clientY])}
      onPointerUp={(event) => {
        if (from && Math.abs(event.clientX - from[0]) > 6 && Math.abs(event.clientY - from[1]) > 6) {
          const [x, y] = toArt(Math.min(from[0], event.clientX), Math.min(from[1], event.clientY));
          const [right, bottom] = toArt(Math.max(from[0], event.clientX), Math.max(from[1], event.clientY));
          framed([x, y, right - x, bottom - y].map((value) => Number(value.toFixed(2))) as Area);
        }
        setFrom(null);
      }}
    >
      {drawn && from && <div className="fixed border-2 border-ink" style={drawn} />}
    </div>
  );
}

type DrawingProps = {
  design: Design;
  lines: Design["lines"];
  view: View;
  stale: boolean;
  source: string;
  placed: string;
  scale: number;
  artWidth: number;
  artHeight: number;
  chosen: number | null;
  choose?: (index: number) => void;
  move: (right: number, up: number) => void;
};

/** Art and lines, drawn crisp once a gesture has come to rest; while it lasts the picture of them is moved as it is. */
const Drawing = memo(function Drawing({
  design,
  lines,
  view,
  stale,
  source,
  placed,
  scale,
  artWidth,
  artHeight,
  chosen,
  choose,
  move,
}: DrawingProps) {
  // with bleed the print is larger than the art
  const bleed = design.summary?.bleed;
  const [left = 0, low = 0, wide = artWidth, high = artHeight] = view !== "art" && bleed && design.lines ? bleed.box : [];
  const plate = plateIn(view, design);
  return (
    <svg className="h-full w-full">
      <defs>
        <pattern id="clear" width="4" height="4" patternUnits="userSpaceOnUse">
          <rect width="4" height="4" fill="white" />
          <path d="M0 4L4 0" stroke="var(--color-check-board)" strokeWidth="0.5" />
        </pattern>
      </defs>
      <g transform={placed}>
        <rect
          width={artWidth}
          height={artHeight}
          fill={view === "art" ? "url(#clear)" : view === "white" ? "var(--color-shade)" : "white"}
        />
        <image
          href={source}
          x={left}
          y={artHeight - low - high}
          width={wide}
          height={high}
          preserveAspectRatio="none"
          opacity={view === "lines" ? 0.55 : view === "bleed" ? 0.8 : plate ? 0.35 : 1}
          style={{ imageRendering: scale > 40 ? "pixelated" : "auto" }}
        />
        {design.document.braille && (view === "lines" || view === "print") && (
          <BrailleDots braille={design.document.braille} size={[artWidth, artHeight]} mirrored={design.document.second_surface} />
        )}
        {view === "bleed" && bleed && <BleedMap bleed={bleed} scale={scale} />}
        {plate && <path data-testid={`${view}-area`} fillRule="evenodd" strokeWidth={1 / scale} {...plate} />}
        {view === "lines" && lines && <LinePaths lines={lines} scale={scale} faded={stale} chosen={chosen} choose={choose} move={move} />}
      </g>
    </svg>
  );
});

/** Every dot where it stands: on the front, as it is read, whatever side the art is printed on. */
function BrailleDots({ braille, size: [width, height], mirrored }: { braille: Braille; size: [number, number]; mirrored: boolean }) {
  return (
    <g role="img" aria-label={`Braille: ${braille.cells}`} className="fill-ink stroke-white" strokeWidth={0.12}>
      {braille.dots.map(([x, y]) => {
        const across = braille.x_mm + x;
        return <circle key={`${x} ${y}`} cx={mirrored ? width - across : across} cy={height - braille.y_mm - y} r={braille.dot_mm / 2} />;
      })}
    </g>
  );
}

/** A ring round the place of a finding, and what it is. */
function Callout({ finding, x, y, width }: { finding: Finding; x: number; y: number; width: number }) {
  const box = 236;
  const right = x + 60 + box < width;
  const left = right ? x + 60 : x - 60 - box;
  return (
    <g role="note" aria-label={finding.title}>
      <circle cx={x} cy={y} r="16" fill="none" stroke="white" strokeWidth="5" />
      <circle cx={x} cy={y} r="16" fill="none" stroke="var(--color-check)" strokeWidth="2.5" />
      <path
        d={`M${right ? x + 15 : x - 15} ${y - 6}L${right ? left : left + box} ${y - 34}`}
        stroke="var(--color-check)"
        strokeWidth="1.8"
      />
      <rect x={left} y={y - 58} width={box} height="46" rx="5" fill="var(--color-paper)" stroke="var(--color-check)" />
      <text x={left + 12} y={y - 39} fontSize="13" fontWeight="600" fill="var(--color-ink)">
        {finding.title}
      </text>
      <text x={left + 12} y={y - 22} fontSize="12" fill="var(--color-slate)">
        {finding.words}
      </text>
    </g>
  );
}

/** Where print goes on past the line and where it stops short, told by colour, width and shape. */
function BleedMap({ bleed, scale }: { bleed: Schemas["BleedReport"]; scale: number }) {
  const px = (value: number) => value / scale;
  return (
    <g fill="none" strokeLinejoin="round" strokeLinecap="round">
      {bleed.stretches.map((stretch, index) => (
        <g key={index} data-testid={`bleed-${stretch.state}`}>
          <path d={stretch.d} stroke="white" strokeWidth={px(stretch.state === "short" ? 9 : 5)} />
          <path
            d={stretch.d}
            stroke={stretch.state === "short" ? "var(--color-stop)" : "var(--color-go)"}
            strokeWidth={px(stretch.state === "short" ? 5 : 2)}
            strokeDasharray={stretch.state === "short" ? `${px(10)} ${px(7)}` : undefined}
          />
        </g>
      ))}
    </g>
  );
}

/** The colour of a picture at a share of its width and height, or null outside it. */
async function colourAt(source: string, across: number, down: number): Promise<string | null> {
  if (across < 0 || across >= 1 || down < 0 || down >= 1) return null;
  const image = new Image();
  image.src = source;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = 1;
  const context = canvas.getContext("2d");
  context?.drawImage(image, -Math.floor(across * image.naturalWidth), -Math.floor(down * image.naturalHeight));
  const [red = 0, green = 0, blue = 0] = context?.getImageData(0, 0, 1, 1).data ?? [];
  return `#${[red, green, blue].map((value) => value.toString(16).padStart(2, "0")).join("")}`;
}
