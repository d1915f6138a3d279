import { useState } from "react";
import type { PrintShown } from "../api/usePrint";
import { OpenRow } from "../ui/Row";
import { figure } from "../ui/units";

type Props = { shown: PrintShown; choose: (id: number) => void };

/** The modes of this printer on this stock side by side, with what the run takes in each. */
export function ModeRow({ shown, choose }: Props) {
  const [open, setOpen] = useState(false);
  const called = (name: string) => name.replace(`${shown.stock_name}, `, "");
  const chosen = shown.settings.print_mode_id;
  const now = shown.modes.find((mode) => mode.id === chosen);
  return (
    <OpenRow
      label="Mode"
      shown={now ? called(now.name) : "none"}
      why="Dots, passes and colour profile of this printer on this stock. One for the whole run. Ink and cost follow from the plates."
      open={open}
      setOpen={setOpen}
    >
      <table className="w-full border-collapse text-[12px]">
        <thead>
          <tr className="text-slate">
            {["mode", "min", "dries", "ink", "cost"].map((words, index) => (
              <th key={words} scope="col" className={`pb-1 font-normal ${index ? "pl-2 text-right" : "text-left"}`}>
                {words}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {shown.modes.map((mode) => (
            <tr key={mode.id} className={`border-t border-rule ${mode.id === chosen ? "bg-pine-wash" : ""}`}>
              <th scope="row" className="text-left font-semibold">
                <button
                  type="button"
                  aria-pressed={mode.id === chosen}
                  onClick={() => choose(mode.id)}
                  className="min-h-9 w-full py-1 text-left hover:text-pine"
                >
                  {called(mode.name)}
                </button>
              </th>
              <td className="pl-2 text-right">{mode.minutes === null ? "–" : figure(mode.minutes, 1)}</td>
              <td className="pl-2 text-right">{figure(mode.drying_minutes, 0)}</td>
              <td className="pl-2 text-right">{mode.costs?.ink ?? "–"}</td>
              <td className="pl-2 text-right">{mode.costs?.total ?? "–"}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-1 text-[12px] text-slate">
        Minutes of printing and of drying before film; ink and cost of the whole run in {shown.currency}.
      </p>
    </OpenRow>
  );
}
