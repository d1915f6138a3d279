import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, shown, told } from "./client";
import { sayProblem, useChange, useHeld } from "./held";
import { useTask } from "./tasks";

export type Web = Schemas["WebShown"];
export type Finisher = Schemas["FinisherShown"];
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
  const step = useChange(held, (way: "undo" | "redo") =>
    shown<"WebShown">(api.POST("/api/webs/{web_id}/{way}", { params: { path: { web_id: id, way } }, body: { revision: revision() } })),
  );
  const making = useTask("web files", `web ${id}`, held.refresh);
  return {
    web: held.data,
    error: held.error,
    change: ((words, changes) => edit.mutate({ words, changes })) as ChangeWeb,
    step: (way: "undo" | "redo") => step.mutate(way),
    making,
    make: () => {
      if (!making.progress) void making.start("Making the files", () => told(api.PUT("/api/webs/{web_id}/files", path)));
    },
  };
}

const finishersQuery = queryOptions({
  queryKey: ["finishers"],
  queryFn: () => told(api.GET("/api/webs/finishers")) as unknown as Promise<Finisher[]>,
});

/** What finishers ask of a black mark, under the shop's own names. */
export function useFinishers() {
  const queries = useQueryClient();
  const { data: finishers = [] } = useQuery(finishersQuery);
  const kept = { onSuccess: () => void queries.invalidateQueries({ queryKey: finishersQuery.queryKey }), onError: sayProblem };
  const keep = useMutation({
    mutationFn: (body: Schemas["FinisherAsked"]) => told(api.POST("/api/webs/finishers", { body })),
    ...kept,
  });
  const takeAway = useMutation({
    mutationFn: (finisher_id: number) => told(api.DELETE("/api/webs/finishers/{finisher_id}", { params: { path: { finisher_id } } })),
    ...kept,
  });
  return { finishers, keep, takeAway };
}

const diesQuery = queryOptions({ queryKey: ["dies"], queryFn: () => told(api.GET("/api/webs/dies")) });

/** Dies that were taken in as drawings. */
export function useDies() {
  const queries = useQueryClient();
  const { data: dies = [] } = useQuery(diesQuery);
  const kept = { onSuccess: () => void queries.invalidateQueries({ queryKey: diesQuery.queryKey }), onError: sayProblem };
  const take = useMutation({
    mutationFn: (file: File) => {
      const body = new FormData();
      body.append("file", file);
      return told(api.POST("/api/webs/dies", { body: body as never, bodySerializer: () => body }));
    },
    ...kept,
  });
  const takeAway = useMutation({
    mutationFn: (die_id: number) => told(api.DELETE("/api/webs/dies/{die_id}", { params: { path: { die_id } } })),
    ...kept,
  });
  return { dies, take, takeAway };
}

/** A new web of designs beside each other; returns its number. */
export async function beginWeb(designs: number[]): Promise<number> {
  const web = await shown<"WebShown">(api.POST("/api/webs", { body: { designs } }));
  return web.id;
}
