import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { sayProblem } from "../../api/held";
import { designsQuery } from "../../api/keys";
import { beginWeb, websQuery } from "../../api/useWeb";
import { Action, Way } from "../../ui/Button";
import { DesignTile } from "../NewRun";

const tileLook = "flex h-12 max-w-[250px] items-center rounded-[7px] border border-rule bg-paper px-3 font-semibold hover:border-slate";

/** The label webs that are there, and a new one of designs beside each other. */
export default function Webs() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const { data: designs } = useQuery(designsQuery);
  const { data: webs } = useQuery(websQuery);
  const [chosen, setChosen] = useState<number[]>([]);
  const begin = useMutation({
    mutationFn: () => beginWeb(chosen),
    onSuccess: (id) => void queries.invalidateQueries({ queryKey: websQuery.queryKey }).then(() => navigate(`/run/web/${id}`)),
    onError: sayProblem,
  });
  if (!designs || !webs) return <main className="flex-1" />;
  const sized = designs.filter((design) => design.width_mm !== null);
  const toggle = (id: number) => setChosen(chosen.includes(id) ? chosen.filter((one) => one !== id) : [...chosen, id]);
  return (
    <main className="flex flex-1 justify-center overflow-y-auto p-6" aria-label="Label webs">
      <div className="w-[720px]">
        {webs.length > 0 && (
          <>
            <h1>Label webs</h1>
            <div className="mt-2 mb-6 flex flex-wrap gap-2">
              {webs.map((web) => (
                <Link key={web.id} to={`/run/web/${web.id}`} className={tileLook}>
                  <span className="truncate">{web.name}</span>
                </Link>
              ))}
            </div>
          </>
        )}
        <div className="rounded-[8px] border border-rule bg-paper p-6">
          <h1>A new label web</h1>
          <p className="mt-1 mb-3 text-slate">
            Labels that repeat along a running stock, past a die or a finisher. Choose the label; several stand beside each other.
          </p>
          {sized.length === 0 && (
            <p>
              No design has a size yet. <Way to="/lines">Open Lines</Way> and take one in.
            </p>
          )}
          <div className="grid grid-cols-5 gap-2.5">
            {sized.map((design) => (
              <DesignTile key={design.id} design={design} on={chosen.includes(design.id)} toggle={() => toggle(design.id)} />
            ))}
          </div>
          <div className="mt-4">
            <Action main disabled={chosen.length === 0 || begin.isPending} onClick={() => begin.mutate()}>
              {chosen.length > 1 ? `Begin a web of ${chosen.length} labels beside each other` : "Begin a web of this label"}
            </Action>
          </div>
        </div>
      </div>
    </main>
  );
}
