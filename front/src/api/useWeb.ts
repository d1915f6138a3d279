import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, shown, told } from "./client";
import { sayProblem, useChange, useHeld } from "./held";
import { keys, shelfQuery } from "./keys";
import { useTask } from "./tasks";

export type Web = Schemas["WebShown"];
export type Finisher = Schemas["FinisherOfWeb"];
export type WebDocument = Web["document"];
export type WebChanges = Schemas["WebChanges"];
export type ChangeWeb = (words: string, changes: WebChanges) => void;

const webQuery = (id: number) =>
  queryOptions({
    queryKey: ["web", id],
    queryFn: () => shown<"WebShown">(api.GET("/api/webs/{web_id}", { params: { path: { web_id: id } } })),
  });
export const websQuery = queryOptions({ queryKey: ["webs"], queryFn: () => told(api.GET("/api/webs")) });

/** A label web: its settings with undo, and its pair of files. */
export function useWeb(id: number) {
  const held = useHeld<Web>(webQuery(id) as never, [websQuery.queryKey]);
  const path = { params: { path: { web_id: id } } };
  const revision = () => held.now()?.revision ?? 0;
  const edit = useChange(held, ({ words, changes }: { words: string; changes: WebChanges }) =>
    shown<"WebShown">(api.POST("/api/webs/{web_id}/edits", { ...path, body: { revision: revision(), words, changes } })),
  );
  const shape = useChange(held, (design_id: number) =>
    shown<"WebShown">(api.PUT("/api/webs/{web_id}/shape", { ...path, body: { revision: revision(), design_id } })),
  );
  const step = useChange(held, (way: "undo" | "redo") =>
    shown<"WebShown">(api.POST("/api/webs/{web_id}/{way}", { params: { path: { web_id: id, way } }, body: { revision: revision() } })),
  );
  const making = useTask("web files", `web ${id}`, held.refresh);
  return {
    web: held.data,
    error: held.error,
    change: ((words, changes) => edit.mutate({ words, changes })) as ChangeWeb,
    takeShape: (design_id: number) => shape.mutate(design_id),
    step: (way: "undo" | "redo") => step.mutate(way),
    making,
    make: () => {
      if (!making.progress) void making.start("Making the files", () => told(api.PUT("/api/webs/{web_id}/files", path)));
    },
  };
}

const finishersQuery = queryOptions({
  queryKey: [...keys.ofWebs, "finishers"],
  queryFn: () => told(api.GET("/api/webs/finishers")) as unknown as Promise<Finisher[]>,
});

/** What is kept for webs stands on the Shelf too. */
function useKept() {
  const queries = useQueryClient();
  const again = () => [keys.ofWebs, shelfQuery.queryKey].forEach((queryKey) => void queries.invalidateQueries({ queryKey }));
  return { onSuccess: again, onError: sayProblem };
}

/** What finishers ask of a black mark, under the shop's own names. */
export function useFinishers() {
  const { data: finishers = [] } = useQuery(finishersQuery);
  const kept = useKept();
  const keep = useMutation({
    mutationFn: (body: Schemas["FinisherAsked"]) => told(api.POST("/api/webs/finishers", { body })),
    ...kept,
  });
  return { finishers, keep };
}

const diesQuery = queryOptions({ queryKey: [...keys.ofWebs, "dies"], queryFn: () => told(api.GET("/api/webs/dies")) });

/** Dies that were taken in as drawings. */
export function useDies() {
  const { data: dies = [] } = useQuery(diesQuery);
  const kept = useKept();
  const take = useMutation({
    mutationFn: (file: File) => {
      const body = new FormData();
      body.append("file", file);
      return told(api.POST("/api/webs/dies", { body: body as never, bodySerializer: () => body }));
    },
    ...kept,
  });
  return { dies, take };
}

/** A new web of designs beside each other; returns its number. */
export async function beginWeb(designs: number[]): Promise<number> {
  const web = await shown<"WebShown">(api.POST("/api/webs", { body: { designs } }));
  return web.id;
}
