import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { Action } from "../ui/Button";
import { Fold } from "../ui/Row";
import { figure, length, useUnit } from "../ui/units";
import type { Station } from "./useStation";

type Setting = Schemas["AlikeSetting"];

/** What was set here, for all others of the job that nobody has looked at yet. */
export function OthersAlike({ station: { design, next } }: { station: Station }) {
  if (!next?.waiting) return null;
  return (
    <Fold name="lines others" title={`The same for ${next.waiting === 1 ? "the other one" : `${figure(next.waiting, 0)} others`}`} closed>
      <Settings id={design.id} revision={design.revision} />
    </Fold>
  );
}

function Settings({ id, revision }: { id: number; revision: number }) {
  const queries = useQueryClient();
  const unit = useUnit((state) => state.unit);
  const path = { params: { path: { design_id: id } } };
  const { data } = useQuery({
    queryKey: ["alike", id, revision],
    queryFn: () => told(api.GET("/api/designs/{design_id}/alike", path)),
  });
  /** What was ticked or left by hand; else what somebody has set here is. */
  const [ticks, setTicks] = useState<Record<string, boolean>>({});
  const give = useMutation({
    mutationFn: (keys: string[]) => told(api.POST("/api/designs/{design_id}/alike", { ...path, body: { keys } })),
    onSuccess: ({ changed }) => {
      toast(`${changed === 1 ? "One design is" : `${figure(changed, 0)} designs are`} as this one now. Undo is with each of them.`);
      void queries.invalidateQueries();
    },
    onError: sayProblem,
  });
  if (!data) return null;
  if (data.settings.length === 0) return <p className="text-slate">They have the same settings already.</p>;
  const isTicked = (one: Setting) => ticks[one.key] ?? one.chosen;
  const keys = data.settings.filter(isTicked).map((one) => one.key);
  return (
    <>
      {data.settings.map((one) => (
        <label key={one.key} className="flex min-h-9 items-center gap-2.5 border-b border-rule">
          <input
            type="checkbox"
            checked={isTicked(one)}
            onChange={() => setTicks({ ...ticks, [one.key]: !isTicked(one) })}
            className="h-4 w-4 shrink-0 accent-(--color-pine)"
          />
          <span className="flex-1">
            {one.label} <b className="font-semibold">{one.mm === null ? one.words : `${length(one.mm, unit)} ${unit}`}</b>
          </span>
          <span className="shrink-0 text-[12px] text-slate">{figure(one.others, 0)} differ</span>
        </label>
      ))}
      <div className="mt-2">
        <Action disabled={keys.length === 0 || give.isPending} onClick={() => give.mutate(keys)}>
          {give.isPending ? "Setting it" : "Set it for them"}
        </Action>
      </div>
      <p className="mt-1.5 text-[12px] text-slate">What is ready stays as it is. Lines are found anew where they change.</p>
    </>
  );
}
