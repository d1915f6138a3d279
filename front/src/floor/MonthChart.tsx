import { useEffect, useRef } from "react";
import "../ui/language"; // before the chart reads it
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import type { Schemas } from "../api/client";
import { shownAs } from "../ui/moments";
import { figure, metres } from "../ui/units";

type Month = Schemas["MonthUsed"];
const HIGH = 190;
const BAR = 0.55;

const token = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(`--color-${name}`).trim();

/** Metres that came off rolls in each month, what was lost of them at the foot; beside it the same by stock. */
export function MonthChart({ months, choose }: { months: Month[]; choose: (month: string) => void }) {
  const names = lastMonths(months.at(-1)?.month ?? "");
  const sum = (of: (one: Month) => boolean, what: "used_mm" | "lost_mm" | "good") =>
    months.filter(of).reduce((whole, one) => whole + one[what], 0);
  const stocks = [...new Set(months.map((one) => one.stock))].map((stock) => ({
    stock,
    used: sum((one) => one.stock === stock, "used_mm"),
    lost: sum((one) => one.stock === stock, "lost_mm"),
  }));
  const most = Math.max(...stocks.map((one) => one.used), 1);
  const lost = sum(() => true, "lost_mm");
  const used = sum(() => true, "used_mm");
  return (
    <div className="flex gap-6 rounded-[8px] border border-rule bg-paper px-4 py-3">
      <figure className="w-[520px] shrink-0" aria-label="Metres by month">
        <figcaption className="mb-1 flex justify-between">
          <span>
            <b className="font-semibold">{metres(used)}</b> printed,{" "}
            <b className="font-semibold">{figure((lost / Math.max(used, 1)) * 100, 1)} %</b> lost (brown)
          </span>
          <span className="text-slate">metres a month</span>
        </figcaption>
        <Bars
          names={names}
          used={names.map((name) => sum((one) => one.month === name, "used_mm") / 1000)}
          lost={names.map((name) => sum((one) => one.month === name, "lost_mm") / 1000)}
          choose={(at) => names[at] && choose(names[at].slice(0, 7))}
        />
      </figure>
      <div className="min-w-0 flex-1" role="group" aria-label="By stock">
        <p className="mb-1.5 text-slate">by stock, twelve months</p>
        {stocks.map((one) => (
          <div key={one.stock} className="mb-2">
            <div className="flex justify-between gap-3">
              <span className="truncate">{one.stock}</span>
              <span className="shrink-0">
                <b className="font-semibold">{metres(one.used)}</b>{" "}
                <span className="text-slate">{figure((one.lost / Math.max(one.used, 1)) * 100, 1)} % lost</span>
              </span>
            </div>
            <div className="mt-0.5 flex h-2 rounded-[2px] bg-rule/50">
              <span className="bg-kraft" style={{ width: `${(one.lost / most) * 100}%` }} />
              <span className="bg-pine" style={{ width: `${((one.used - one.lost) / most) * 100}%` }} />
            </div>
          </div>
        ))}
      </div>
    </div>
  );
}

type BarsProps = { names: string[]; used: number[]; lost: number[]; choose: (at: number) => void };

function Bars({ names, used, lost, choose }: BarsProps) {
  const place = useRef<HTMLDivElement>(null);
  const chosen = useRef(choose);
  useEffect(() => {
    chosen.current = choose;
  });
  const held = JSON.stringify([names, used, lost]);
  useEffect(() => {
    if (!place.current) return;
    const [months, all, gone] = JSON.parse(held) as [string[], number[], number[]];
    const bars = uPlot.paths.bars?.({ size: [BAR, 60] });
    const axis = {
      stroke: token("slate"),
      grid: { stroke: token("rule"), width: 1 },
      ticks: { show: false },
      font: "12px Archivo Variable",
    };
    const drawn = new uPlot(
      {
        width: 520,
        height: HIGH,
        legend: { show: false },
        cursor: { x: false, y: false, points: { show: false } },
        scales: {
          x: { time: false, range: [-0.6, months.length - 0.4] },
          y: { range: (_, __, most) => [0, Math.max(most * 1.1, 1)] },
        },
        axes: [
          {
            ...axis,
            grid: { show: false },
            splits: months.map((_, at) => at),
            values: (_, at) => at.map((one) => monthName(months[one] ?? "")),
          },
          { ...axis, size: 44 },
        ],
        series: [
          {},
          { paths: bars, fill: token("pine"), stroke: token("pine"), width: 0, points: { show: false } },
          { paths: bars, fill: token("kraft"), stroke: token("kraft"), width: 0, points: { show: false } },
        ],
      },
      [months.map((_, at) => at), all, gone],
      place.current,
    );
    drawn.over.addEventListener("click", () => drawn.cursor.idx != null && chosen.current(drawn.cursor.idx));
    return () => drawn.destroy();
  }, [held]);
  return <div ref={place} />;
}

/** Twelve months up to this one, as the first days of them. */
function lastMonths(last: string): string[] {
  const [year = 0, month = 1] = last.split("-").map(Number);
  return Array.from({ length: 12 }, (_, at) => new Date(Date.UTC(year, month - 12 + at, 1)).toISOString().slice(0, 10));
}

const shortMonth = shownAs({ month: "short", timeZone: "UTC" });
const monthName = (day: string) => (day ? shortMonth(day) : "");
