import { type ReactNode, useId, useState } from "react";
import type { ChangeWeb, Web } from "../../api/useWeb";
import { NumberField } from "../../ui/Field";
import { length, useUnit } from "../../ui/units";

type Props = { web: Web; change: ChangeWeb; shown: number | null };
type Place = { x: number; y: number };

/** Room round the page for its figures, as shares of the drawing. */
const ROOM = 0.14;

/** A page as it is printed: one repeat, or as many as one mark stands for, its first edge at the bottom, with the figures on it. */
export function WebDrawing({ web, change, shown }: Props) {
  const wide = web.document.width_mm;
  const long = web.page_mm;
  const every = web.document.mark?.every ?? 1;
  const room = Math.max(wide, long) * ROOM;
  const whole = { width: wide + 2 * room, height: long + 2 * room };
  const up = (y: number) => long - y;
  const edges = web.document.unprinted;
  const bleed = web.document.bleed_mm;
  return (
    <div
      className="mt-3 flex min-h-0 flex-1 items-center justify-center rounded-[6px] border border-rule bg-paper"
      style={{ containerType: "size" }}
    >
      <div
        className="relative"
        style={{ width: `min(100cqw, ${whole.width / whole.height} * 100cqh)`, aspectRatio: `${whole.width} / ${whole.height}` }}
      >
        <svg
          viewBox={`${-room} ${-room} ${whole.width} ${whole.height}`}
          className="absolute inset-0 h-full w-full"
          role="img"
          aria-label={`${every > 1 ? `${every} repeats` : "One repeat"} with ${web.labels.length} labels`}
        >
          <rect x={0} y={-room} width={wide} height={room - 1} className="fill-card" />
          <rect x={0} y={long + 1} width={wide} height={room - 1} className="fill-card" />
          <rect x={0} y={0} width={wide} height={long} className="fill-white stroke-rule" strokeWidth={room / 90} />
          {edges.left_mm > 0 && <rect x={0} y={0} width={edges.left_mm} height={long} className="fill-check-board" />}
          {edges.right_mm > 0 && <rect x={wide - edges.right_mm} y={0} width={edges.right_mm} height={long} className="fill-check-board" />}
          {web.labels.map((label, index) => (
            <LabelDrawn key={index} label={label} web={web} y={up(label.y + label.height)} bleed={bleed} thin={room / 110} />
          ))}
          {[...(web.mark ? [web.mark] : []), ...web.station].map(([x0, y0, x1, y1]) => (
            <rect key={`${x0} ${y0}`} x={x0} y={up(y1)} width={x1 - x0} height={y1 - y0} className="fill-black" />
          ))}
          {web.clearances.map((one, index) => (
            <line
              key={one.words}
              x1={one.along[0]}
              y1={up(one.along[1])}
              x2={one.along[2]}
              y2={up(one.along[3])}
              strokeWidth={room / (index === shown ? 22 : 60)}
              className={one.kept ? (index === shown ? "stroke-go" : "stroke-go-rule") : "stroke-stop"}
            />
          ))}
          {web.problems.map((one) => (
            <circle key={one.what} cx={one.x} cy={up(one.y)} r={room / 9} className="fill-stop-faint stroke-stop" strokeWidth={room / 60} />
          ))}
        </svg>
        <Figures
          web={web}
          change={change}
          at={({ x, y }) => ({ x: (x + room) / whole.width, y: (up(y) + room) / whole.height })}
          room={room}
        />
      </div>
    </div>
  );
}

type LabelProps = { label: Web["labels"][number]; web: Web; y: number; bleed: number; thin: number };

function LabelDrawn({ label, web, y, bleed, thin }: LabelProps) {
  const { x, width, height } = label;
  const design = web.designs.find((one) => one.id === label.design_id);
  const [w, h] = [design?.width_mm ?? width, design?.height_mm ?? height];
  const [left, low] = design?.middle_mm ?? [w / 2, h / 2];
  const far = { width: width + 2 * bleed, height: height + 2 * bleed };
  const kept = useId();
  const printed = web.printed.map(([across = 0, up = 0]) => `${across + bleed},${height - up + bleed}`);
  return (
    <>
      <svg x={x - bleed} y={y - bleed} {...far}>
        {printed.length > 0 && (
          <clipPath id={kept}>
            <polygon points={printed.join(" ")} />
          </clipPath>
        )}
        <g clipPath={printed.length > 0 ? `url(#${kept})` : undefined}>
          <image
            href={`/api/designs/${label.design_id}/thumb`}
            x={far.width / 2 - left}
            y={far.height / 2 - (h - low)}
            width={w}
            height={h}
            transform={`rotate(${-web.turn_deg} ${far.width / 2} ${far.height / 2})`}
          />
        </g>
      </svg>
      <Outlines label={label} web={web} y={y} bleed={bleed} thin={thin} />
    </>
  );
}

/** How a label is cut, and dashed how far it is printed. */
function Outlines({ label: { x, width, height }, web, y, bleed, thin }: LabelProps) {
  const corner = web.document.label.corner_mm;
  const printed = { className: "fill-none stroke-kraft", strokeDasharray: `${4 * thin} ${3 * thin}`, strokeWidth: thin };
  const cut = { className: "fill-none stroke-kiss", strokeWidth: 1.6 * thin };
  const ring = (points: number[][]) => points.map(([across = 0, up = 0]) => `${x + across},${y + height - up}`).join(" ");
  if (web.cut.length > 0)
    return (
      <>
        <polygon points={ring(web.printed)} {...printed} />
        <polygon points={ring(web.cut)} {...cut} />
      </>
    );
  return (
    <>
      <rect x={x - bleed} y={y - bleed} width={width + 2 * bleed} height={height + 2 * bleed} rx={corner + bleed} {...printed} />
      <rect x={x} y={y} width={width} height={height} rx={corner} {...cut} />
    </>
  );
}

/** The figures that make the repeat, each where it is measured. */
function Figures({ web, change, at, room }: { web: Web; change: ChangeWeb; at: (place: Place) => Place; room: number }) {
  const { document: held, sums } = web;
  const { columns, rows } = held;
  const first = web.labels[0];
  if (!first) return null;
  const next = columns > 1 ? web.labels[1] : undefined;
  const behind = rows > 1 ? web.labels[columns] : undefined;
  const turned = web.turn_deg % 180 !== 0;
  const size = (across: boolean) => (across !== turned ? "width_mm" : "height_mm");
  const label = (across: boolean) => ({
    label: across !== turned ? "Label width" : "Label height",
    value: held.label[size(across)],
    put: (value: number) => change("size of the label", { label: { ...held.label, [size(across)]: value } }),
  });
  return (
    <>
      <Figure at={at({ x: first.x + first.width / 2, y: first.y })} {...label(true)} />
      <Figure at={at({ x: first.x, y: first.y + first.height / 2 })} {...label(false)} />
      {next && (
        <Figure
          at={at({ x: (first.x + first.width + next.x) / 2, y: first.y + first.height / 2 })}
          label="Gap across"
          value={held.gap_across_mm}
          put={(gap_across_mm) => change("gap across", { gap_across_mm })}
        />
      )}
      {behind && (
        <Figure
          at={at({ x: first.x + first.width / 2, y: (first.y + first.height + behind.y) / 2 })}
          label="Gap along"
          value={held.gap_along_mm}
          put={(gap_along_mm) => change("gap along", { gap_along_mm })}
        />
      )}
      <Figure
        at={at({ x: -room / 2, y: sums.repeat_mm / 2 })}
        label="Repeat"
        value={sums.repeat_mm}
        put={(repeat_mm) => change("repeat", { repeat_mm, cylinder: null })}
      />
      <Figure
        at={at({ x: held.width_mm / 2, y: web.page_mm + room / 2 })}
        label="Width of the stock"
        value={held.width_mm}
        put={(width_mm) => change("width of the stock", { width_mm })}
      />
      <Figure
        at={at({ x: held.width_mm + room / 2, y: web.page_mm / 2 })}
        label="Bleed"
        value={held.bleed_mm}
        put={(bleed_mm) => change("bleed", { bleed_mm })}
        before="bleed "
      />
    </>
  );
}

type FigureProps = { at: Place; label: string; value: number; put: (value: number) => void; before?: ReactNode };

/** A figure on the drawing: pressed, it is a field. */
function Figure({ at, label, value, put, before }: FigureProps) {
  const unit = useUnit((state) => state.unit);
  const [open, setOpen] = useState(false);
  return (
    <div
      className="absolute -translate-x-1/2 -translate-y-1/2"
      style={{ left: `${at.x * 100}%`, top: `${at.y * 100}%`, zIndex: open ? 2 : 1 }}
    >
      {open ? (
        <form
          aria-label={label}
          className="w-[150px] rounded-[6px] border border-rule bg-paper p-2 shadow-md"
          onSubmit={(event) => {
            event.preventDefault();
            setOpen(false);
          }}
          onBlur={(event) => !event.currentTarget.contains(event.relatedTarget) && setOpen(false)}
        >
          <p className="mb-1 text-[12px] text-slate">{label}</p>
          <NumberField label={label} why="" value={value} least={0} decimals={2} onChange={put} close={() => setOpen(false)} />
        </form>
      ) : (
        <button
          type="button"
          aria-label={`${label}, ${length(value, unit, 2)} ${unit}`}
          onClick={() => setOpen(true)}
          className="min-h-6 whitespace-nowrap rounded-[4px] border border-rule bg-paper px-1.5 text-[12px] font-semibold hover:border-pine"
        >
          {before}
          {length(value, unit, 2)}
        </button>
      )}
    </div>
  );
}
