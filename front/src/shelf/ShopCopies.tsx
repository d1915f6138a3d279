import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { Action } from "../ui/Button";
import { NumberRow, TextField } from "../ui/Field";
import { Labelled } from "../ui/Row";
import { figure } from "../ui/units";
import { when } from "../ui/moments";
import { NamedTile } from "./NamedTile";

type Copies = Schemas["CopiesShown"];

const LOOK_MS = 2000;
const copiesQuery = queryOptions({
  queryKey: ["shop copies"],
  queryFn: () => told(api.GET("/api/shop-copies")),
  refetchInterval: (query) => (query.state.data?.under_way ? LOOK_MS : false),
});

export function CopiesTile({ chosen, choose }: { chosen: boolean; choose: () => void }) {
  const { data } = useQuery(copiesQuery);
  if (!data) return null;
  return (
    <section aria-label="Copies of the shop" className="mb-6">
      <h2 className="mb-2">Copies of the shop</h2>
      <div className="flex flex-wrap gap-2.5">
        <NamedTile
          name={data.folder ? "Every night" : "None are made"}
          words={inShort(data)}
          tone={data.problem || !data.folder ? "text-check-text" : undefined}
          chosen={chosen}
          choose={choose}
        />
      </div>
    </section>
  );
}

function inShort({ folder, at, problem }: Copies) {
  if (!folder) return "A lost disk would take everything with it.";
  if (problem) return "The last one is not whole.";
  return at ? `the last on ${when(at)}` : "none yet";
}

/** Where copies of everything go, how many are kept, and from which hour on; one can be made at once. */
export function CopiesSettings() {
  const queries = useQueryClient();
  const { data } = useQuery(copiesQuery);
  const tied = { onSuccess: (fresh: Copies) => queries.setQueryData(copiesQuery.queryKey, fresh), onError: sayProblem };
  const choose = useMutation({ mutationFn: (body: Schemas["CopiesAsked"]) => told(api.PUT("/api/shop-copies", { body })), ...tied });
  const make = useMutation({ mutationFn: () => told(api.POST("/api/shop-copies/now")), ...tied });
  if (!data) return null;
  const set = (changes: Partial<Schemas["CopiesAsked"]>) =>
    choose.mutate({ folder: data.folder, kept: data.kept, hour: data.hour, ...changes });
  return (
    <>
      <h1>Copies of the shop</h1>
      <p className="mt-1 mb-2 text-slate">
        Jobs, art, print files, the Shelf: everything in one file a night, while you work. Keep them on another disk than this machine's.
        “etiquette restore” puts one back.
      </p>
      <Labelled words="Folder on the machine that Etiquette runs on">
        <TextField label="Folder of the copies" longest={500} value={data.folder} onChange={(folder) => set({ folder })} />
      </Labelled>
      <NumberRow
        label="Copies kept"
        kind="plain"
        decimals={0}
        value={data.kept}
        least={1}
        most={365}
        why="The oldest go. Only files that Etiquette made are touched."
        onChange={(kept) => set({ kept: Math.round(kept) })}
      />
      <NumberRow
        label="Made from"
        kind="plain"
        suffix="o'clock"
        decimals={0}
        value={data.hour}
        least={0}
        most={23}
        why="A machine that is off then makes it when it is on again."
        onChange={(hour) => set({ hour: Math.round(hour) })}
      />
      {data.at && <LastOne copies={data} />}
      <div className="mt-3">
        <Action onClick={() => make.mutate()} disabled={!data.folder || data.under_way || make.isPending}>
          {data.under_way ? "A copy is being made" : "Make one now"}
        </Action>
      </div>
    </>
  );
}

function LastOne({ copies: { at, file, bytes, problem } }: { copies: Copies }) {
  return (
    <div className="mt-3" aria-live="polite">
      {file && (
        <p>
          The last one was made on {when(at ?? "")}, {figure(bytes / 1e6, bytes < 1e7 ? 1 : 0)} MB:{" "}
          <span className="break-all font-code text-[12px]">{file}</span>
        </p>
      )}
      {problem && <p className="mt-1 font-semibold text-check-text">{problem}</p>}
    </div>
  );
}
