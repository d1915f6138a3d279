import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { Key } from "../ui/Button";
import type { View } from "./ArtView";
import { seenOf } from "./seen";
import { plateIn } from "./plateIn";
import type { Station } from "./useStation";
import { rim } from "../ui/look";
import { figure } from "../ui/units";

/** Under the art: the views of this design, then the other designs of its job. */
export function Strip({ station, designs }: { station: Station; designs: Schemas["DesignListed"][] }) {
  const { design, view, views, setView } = station;
  const job = designs.find((other) => other.id === design.id)?.job_id;
  const others = designs.filter((other) => other.job_id === job && other.id !== design.id);
  return (
    <div className="mt-3.5 flex gap-2.5 overflow-x-auto" role="group" aria-label="Views of this design">
      {views.map(([name, words]) => (
        <button
          type="button"
          key={name}
          aria-pressed={view === name}
          onClick={() => setView(name)}
          className={`h-[92px] w-[104px] shrink-0 rounded-[7px] border bg-paper px-2 pt-1.5 text-left ${rim(view === name)}`}
        >
          <span className="flex h-[56px] items-center justify-center">
            <ViewPicture design={design} name={name} />
          </span>
          <span className="flex justify-between font-semibold">
            {words} {view === name && <Key>V</Key>}
          </span>
        </button>
      ))}
      {others.length > 0 && <span className="mx-1 w-px shrink-0 bg-rule" />}
      {others.length > 0 && (
        <Link
          to={`/lines/job/${job}`}
          className="flex h-[92px] w-[92px] shrink-0 flex-col rounded-[7px] border border-rule bg-paper px-2 pt-1.5 hover:border-slate"
        >
          <span className="flex h-[56px] items-center justify-center text-[22px] font-bold text-pine">{figure(others.length + 1, 0)}</span>
          <span className="flex justify-between font-semibold">
            At once <Key>G</Key>
          </span>
        </Link>
      )}
      {others.map((other) => (
        <Link
          key={other.id}
          to={`/lines/${other.id}`}
          className="h-[92px] w-[92px] shrink-0 rounded-[7px] border border-rule bg-paper px-2 pt-1.5 hover:border-slate"
        >
          <span className="flex h-[56px] items-center justify-center">
            <img src={`/api/designs/${other.id}/thumb?art=${other.art_id}`} alt="" className="max-h-full max-w-full object-contain" />
          </span>
          <span className="block truncate text-[12px]">{other.name}</span>
        </Link>
      ))}
    </div>
  );
}

function ViewPicture({ design, name }: { design: Station["design"]; name: View }) {
  const plate = plateIn(name, design);
  if (plate && design.height_mm) {
    return (
      <svg viewBox={`0 0 ${design.document.width_mm} ${design.height_mm}`} className="h-full w-full" aria-hidden="true">
        <path {...plate} fillOpacity={1} fillRule="evenodd" strokeWidth="1" vectorEffect="non-scaling-stroke" />
      </svg>
    );
  }
  const source =
    name === "art" || !design.lines ? `/api/designs/${design.id}/thumb?art=${design.art_id}` : seenOf(design, true, null, null);
  return <img src={source} alt="" className={`max-h-full max-w-full object-contain ${name === "lines" ? "opacity-40" : ""}`} />;
}
