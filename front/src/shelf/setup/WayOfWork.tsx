import { Fragment } from "react";
import { useUnit } from "../../ui/units";
import { type Place, type Shelf, standing } from "./shop";

const PLACES: Place[] = ["printer", "stock", "film", "cutter"];

type Props = { shelf: Shelf; chosen: string; choose: (place: Place) => void };

/** The shop drawn as the way of the work; what is missing is dashed, and so is the way to it. */
export function WayOfWork({ shelf, chosen, choose }: Props) {
  const unit = useUnit((state) => state.unit);
  const there = PLACES.map((place) => standing(shelf, place, unit));
  return (
    <div className="flex items-stretch" role="group" aria-label="The way of the work">
      {PLACES.map((place, index) => {
        const one = there[index] ?? { title: "", words: "", done: false };
        const joined = one.done && there[index - 1]?.done;
        return (
          <Fragment key={place}>
            {index > 0 && (
              <span aria-hidden="true" className="flex w-7 shrink-0 items-center">
                <span className={`w-full border-t-2 border-kraft ${joined ? "" : "border-dashed"}`} />
              </span>
            )}
            <button
              type="button"
              aria-pressed={chosen === place}
              onClick={() => choose(place)}
              className={`flex h-[104px] min-w-0 flex-1 flex-col items-start rounded-[9px] px-4 py-3.5 text-left ${
                chosen === place ? "border-2 border-pine bg-paper" : one.done ? "border border-rule bg-paper hover:border-slate" : ""
              } ${one.done || chosen === place ? "" : "border border-dashed border-table-edge hover:border-slate"}`}
            >
              <span className={`line-clamp-2 text-[15px] leading-5 font-semibold ${one.done ? "" : "text-slate"}`}>{one.title}</span>
              <span className="mt-1 flex items-baseline gap-1.5 text-slate">
                {one.done && (
                  <span aria-hidden="true" className="font-bold text-go">
                    ✓
                  </span>
                )}
                <span className="line-clamp-2">{one.words}</span>
              </span>
            </button>
          </Fragment>
        );
      })}
    </div>
  );
}
