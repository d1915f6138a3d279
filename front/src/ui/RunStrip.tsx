import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { rim } from "./look";

const tileLook = "flex h-12 max-w-[250px] min-w-[130px] items-center gap-2.5 rounded-[7px] border bg-paper px-2.5";

/** The runs as pictures in a row, the open one framed; `fresh` makes its picture anew after a change. */
export function RunStrip({
  runs,
  station,
  id,
  fresh,
  children,
}: {
  runs: Schemas["RunListed"][];
  station: "run" | "print";
  id: number;
  fresh?: number;
  children?: ReactNode;
}) {
  return (
    <div className="mt-3 flex gap-2">
      <div className="flex min-w-0 gap-2 overflow-x-auto" aria-label="Runs">
        {runs.map((run) => (
          <Link key={run.id} to={`/${station}/${run.id}`} className={`${tileLook} ${rim(run.id === id)}`}>
            <img
              src={run.id === id && fresh !== undefined ? `${run.thumb}?${fresh}` : run.thumb}
              alt=""
              loading="lazy"
              className="h-8 w-14 shrink-0 object-contain"
            />
            <span className="truncate font-semibold">{run.name}</span>
          </Link>
        ))}
      </div>
      {children}
    </div>
  );
}
