import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { beginRun } from "../api/beginRun";
import type { Schemas } from "../api/client";
import { sayProblem } from "../api/held";
import { designsQuery } from "../api/keys";
import { Action, Way } from "../ui/Button";
import { Empty } from "../ui/Empty";

/** Ready designs, all chosen to begin with: one press makes the run. */
export function NewRun() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const { data: designs } = useQuery(designsQuery);
  const [left, setLeft] = useState<number[]>([]);
  const make = useMutation({
    mutationFn: (items: { design_id: number; count: number }[]) => {
      const names = designs?.filter((design) => items.some((item) => item.design_id === design.id)).map((design) => design.name) ?? [];
      return beginRun({ name: names.slice(0, 3).join(" + ").slice(0, 110) || "New run", items });
    },
    onSuccess: (run) => void queries.invalidateQueries().then(() => navigate(`/run/${run.id}`)),
    onError: sayProblem,
  });
  if (!designs) return <main className="flex-1" />;
  // what is taken apart into tiles is not due itself
  const ready = designs.filter((design) => design.ready && design.due_count > 0);
  const waiting = ready.filter((design) => design.planned === 0);
  const offered = waiting.length ? waiting : ready;
  const chosen = offered.filter((design) => !left.includes(design.id));
  if (offered.length === 0) {
    return (
      <Empty label="New run" title="No design is ready" to="/lines" action="Open Lines">
        Take art in there, give it its size and its line, and mark it ready: then it can be laid on a roll.
      </Empty>
    );
  }
  return (
    <main className="flex flex-1 items-center justify-center" aria-label="New run">
      <div className="w-[640px] rounded-[8px] border border-rule bg-paper p-6">
        <h1>Make a run</h1>
        <p className="mt-1 mb-3 text-slate">Click a design to leave it out. Counts can be changed afterwards.</p>
        <div className="grid grid-cols-4 gap-2.5">
          {offered.map((design) => (
            <DesignTile
              key={design.id}
              design={design}
              on={!left.includes(design.id)}
              toggle={() => setLeft(left.includes(design.id) ? left.filter((one) => one !== design.id) : [...left, design.id])}
            />
          ))}
        </div>
        <div className="mt-4">
          <Action
            main
            onClick={() => make.mutate(chosen.map((design) => ({ design_id: design.id, count: design.due_count })))}
            disabled={chosen.length === 0 || make.isPending}
          >
            Make one run
          </Action>
        </div>
        <p className="mt-3 text-slate">
          Labels that repeat past a die or a finisher: <Way to="/run/web">make a label web</Way>.
        </p>
      </div>
    </main>
  );
}

export function DesignTile({ design, on, toggle }: { design: Schemas["DesignListed"]; on: boolean; toggle: () => void }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={toggle}
      className={`rounded-[7px] border bg-white px-2 pt-2 pb-1.5 text-left ${on ? "border-2 border-pine" : "border-rule"}`}
    >
      <span className="flex h-[64px] items-center justify-center">
        <img src={`/api/designs/${design.id}/thumb`} alt="" className={`max-h-full max-w-full object-contain ${on ? "" : "opacity-50"}`} />
      </span>
      <span className={`mt-1 block truncate ${on ? "font-semibold" : ""}`}>{design.name}</span>
      <span className="text-[12px] text-slate">{design.due_count} pieces</span>
    </button>
  );
}
