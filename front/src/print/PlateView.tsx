import { keys } from "../api/keys";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, type Schemas, told } from "../api/client";
import { LinePaths } from "../lines/LinePaths";
import { Sight } from "../lines/Sight";
import { useKeys } from "../ui/keys";
import { MM_PER_INCH } from "../ui/units";
import type { Seen, Station } from "./useStation";
import { useSettled, useSize, useZoom } from "../ui/zoom";

type Plate = Schemas["PlateShown"];

const FINEST_DPI = 600;
/** What is printed already, where it is only cut. */
const FAINT = 0.2;

type Props = { station: Station; plate: Plate; setDpi: (dpi: number | null) => void; setDrawn: (seen: Seen) => void };

/** The plate as rendered from the PDF, turned a quarter clockwise so that the leading edge is on the left. Once the picture of the whole is
 * too coarse for the view, the stretch in view is rendered anew in its real pixels. */
export function PlateView({ station, plate, setDpi, setDrawn }: Props) {
  const { side, over, faint, seen, proofed, place, setPlace, sight } = station;
  const frame = useRef<SVGSVGElement>(null);
  const [width, height] = useSize(frame);
  const { transform, fit } = useZoom(frame, 120);
  useKeys({ "0": fit });
  const base = Math.max(0.001, Math.min((width - 60) / plate.length_mm, (height - 50) / plate.width_mm));
  const left = (width - plate.length_mm * base) / 2;
  const top = (height - plate.width_mm * base) / 2;
  const { data: paths } = useQuery({
    queryKey: keys.plateLines(plate.id),
    queryFn: async () => byKind(await told(api.GET("/api/plates/{plate_id}/lines", { params: { path: { plate_id: plate.id } } }))),
    enabled: over,
  });

  // the stretch in view, in run millimetres: u runs along the feed, x across
  const rested = useSettled(transform);
  const scale = base * rested.k;
  const wanted = Math.min(FINEST_DPI, scale * MM_PER_INCH * window.devicePixelRatio);
  const fine = wanted > 1.2 * plate.preview_dpi;
  const clip = (value: number, end: number) => Math.max(0, Math.min(end, value));
  const [u0, u1] = [0, width].map((at) => clip(((at - rested.x) / rested.k - left) / base, plate.length_mm)) as [number, number];
  const [x0, x1] = [0, height].map((at) => clip(((at - rested.y) / rested.k - top) / base, plate.width_mm)) as [number, number];
  const part = fine && width > 0 && u1 - u0 > 0.5 && x1 - x0 > 0.5;
  useEffect(() => setDpi(part ? wanted : null), [part, wanted, setDpi]);
  const query = new URLSearchParams({
    plate: side,
    seen,
    x: x0.toFixed(2),
    y: u0.toFixed(2),
    width: (x1 - x0).toFixed(2),
    height: (u1 - u0).toFixed(2),
    dpi: wanted.toFixed(1),
  });
  return (
    <>
      <svg
        ref={frame}
        role="img"
        aria-label={`${side} plate, leading edge left`}
        className="h-full w-full touch-none"
        onClick={(event) => {
          if (!proofed) return;
          const at = event.currentTarget.getBoundingClientRect();
          const y = ((event.clientX - at.left - transform.x) / transform.k - left) / base;
          const x = ((event.clientY - at.top - transform.y) / transform.k - top) / base;
          if (x >= 0 && y >= 0 && x <= plate.width_mm && y <= plate.length_mm) setPlace({ plate: plate.id, x, y });
        }}
      >
        <g transform={`${transform.toString()} translate(${left},${top}) scale(${base})`}>
          <rect
            width={plate.length_mm}
            height={plate.width_mm}
            fill={side === "colour" ? "white" : "var(--color-shade)"}
            stroke="var(--color-rule)"
            strokeWidth={1 / base}
          />
          <g transform={`matrix(0,1,-1,0,${plate.length_mm},0)`}>
            <g opacity={faint ? FAINT : 1}>
              <image
                href={`/api/plates/${plate.id}/preview?plate=${side}&seen=${seen}`}
                width={plate.width_mm}
                height={plate.length_mm}
                preserveAspectRatio="none"
                onLoad={() => setDrawn(seen)}
              />
              {part && (
                <image
                  data-testid="real pixels"
                  href={`/api/plates/${plate.id}/part?${query.toString()}`}
                  x={x0}
                  y={plate.length_mm - u1}
                  width={x1 - x0}
                  height={u1 - u0}
                  preserveAspectRatio="none"
                />
              )}
            </g>
            {over && paths && <LinePaths lines={paths} scale={base * transform.k} />}
          </g>
          {place && <Crosshair x={place.y} y={place.x} pixel={1 / (base * transform.k)} />}
        </g>
        <text x={Math.max(8, left)} y={Math.max(16, top - 8)} fontSize="11" fill="var(--color-ink)" opacity={transform.k > 1.05 ? 0 : 1}>
          ◂ leaves the printer first
        </text>
      </svg>
      {sight && (
        <Sight
          size={[plate.length_mm, plate.width_mm]}
          on={(along, across) => [transform.applyX(left + along * base), transform.applyY(top + across * base)]}
          press={(along, across) => setPlace({ plate: plate.id, x: across, y: along })}
        />
      )}
    </>
  );
}

/** Where colours are read: a ring with a white casing, so that it shows on any art. */
function Crosshair({ x, y, pixel }: { x: number; y: number; pixel: number }) {
  return (
    <g fill="none" aria-hidden="true">
      <circle cx={x} cy={y} r={9 * pixel} stroke="white" strokeWidth={4 * pixel} />
      <circle cx={x} cy={y} r={9 * pixel} stroke="var(--color-ink)" strokeWidth={1.5 * pixel} />
    </g>
  );
}

/** All lines of a kind as one path: thousands of pieces are drawn at once. */
function byKind(lines: Schemas["LineShown"][]): Pick<Schemas["LineShown"], "kind" | "d">[] {
  const paths = new Map<Schemas["LineShown"]["kind"], string[]>();
  for (const line of lines) {
    const every = paths.get(line.kind) ?? [];
    every.push(line.d);
    paths.set(line.kind, every);
  }
  return [...paths].map(([kind, every]) => ({ kind, d: every.join("") }));
}
