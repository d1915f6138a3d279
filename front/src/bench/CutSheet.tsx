import { useRef } from "react";
import type { BenchSheet } from "../api/useSheet";
import { useKeys } from "../ui/keys";
import { useSize, useZoom } from "../ui/zoom";

/** The cutter's own picture of the table, turned a quarter clockwise like everything else: the feed runs to the right. */
export function CutSheet({ id, report }: { id: number; report: NonNullable<BenchSheet["report"]> }) {
  const frame = useRef<SVGSVGElement>(null);
  const [width, height] = useSize(frame);
  const { transform, fit } = useZoom(frame, 60);
  useKeys({ "0": fit });
  if (!report.box) return null;
  const [x0, y0, x1, y1] = report.box;
  const [across, long] = [x1 - x0, y1 - y0];
  const base = Math.max(0.001, Math.min((width - 30) / long, (height - 30) / across));
  const middle = `translate(${(width - long * base) / 2},${(height - across * base) / 2})`;
  return (
    <svg
      ref={frame}
      role="img"
      aria-label="The sheet with its cuts, as the cutter's camera shows it"
      className="h-full w-full touch-none bg-table"
    >
      <g transform={`${transform.toString()} ${middle} scale(${base}) matrix(0,1,-1,0,${long},0)`}>
        <image href={`/api/bench/${id}/picture?${report.cut?.worst_mm ?? 0}`} width={across} height={long} preserveAspectRatio="none" />
      </g>
    </svg>
  );
}
