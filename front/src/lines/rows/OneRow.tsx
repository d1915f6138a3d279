import { ChevronLeft, ChevronRight } from "lucide-react";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/Field";
import { figure } from "../../ui/units";
import type { Shown } from "./RowsStation";

/** The row that is shown: its number, its cells, what is wrong with it. */
export function OneRow({ station, row, go }: { station: Shown; row: number; go: (row: number) => void }) {
  const { seen, table, checked, rows, put } = station;
  const count = table?.count ?? 1;
  const left = rows.left_out.includes(row);
  const worst = checked?.worst.find((one) => one.size_pt !== null) ?? checked?.worst[0];
  const longest = checked?.longest[0];
  return (
    <section aria-label="Row" className="mt-3 shrink-0">
      <div className="flex items-center gap-2">
        <Button looks narrow aria-label="The row before" disabled={row <= 1} onClick={() => go(row - 1)}>
          <ChevronLeft aria-hidden="true" size={16} />
        </Button>
        <span className="font-semibold">Row</span>
        <span className="w-[92px]">
          <NumberField
            label="Row"
            why=""
            kind="plain"
            decimals={0}
            step={1}
            least={1}
            most={count}
            value={row}
            onChange={(next) => go(Math.round(next))}
          />
        </span>
        <Button looks narrow aria-label="The next row" disabled={row >= count} onClick={() => go(row + 1)}>
          <ChevronRight aria-hidden="true" size={16} />
        </Button>
        <span className="text-slate">of {figure(count, 0)}</span>
        {longest && (
          <Button looks onClick={() => go(longest.row)}>
            Longest
          </Button>
        )}
        {worst && (
          <Button looks onClick={() => go(worst.row)}>
            {worst.size_pt === null ? "Densest code" : "Smallest letters"}
          </Button>
        )}
        <span className="flex-1" />
        <Button
          aria-pressed={left}
          onClick={() =>
            put(left ? `row ${row} printed after all` : `row ${row} left out`, {
              left_out: left ? rows.left_out.filter((one) => one !== row) : [...rows.left_out, row].sort((a, b) => a - b),
            })
          }
        >
          {left ? "Left out: print it after all" : "Leave this row out"}
        </Button>
      </div>
      <div className="mt-2 flex min-h-[44px] gap-5 overflow-x-auto pb-1">
        {Object.entries(seen?.cells ?? {}).map(([name, cell]) => (
          <div key={name} className="max-w-[220px] shrink-0">
            <div className="truncate text-[12px] text-slate">{name}</div>
            <div className="truncate font-semibold" title={cell}>
              {cell || "–"}
            </div>
          </div>
        ))}
      </div>
      <div className="min-h-[40px]">
        {seen?.troubles.slice(0, 2).map((one) => (
          <p key={`${one.field} ${one.why}`} className="truncate text-stop" title={one.why}>
            {one.field && <b className="font-semibold">{one.field}: </b>}
            {one.why}
          </p>
        ))}
      </div>
    </section>
  );
}
