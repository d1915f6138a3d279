import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "./client";
import { sayProblem } from "./held";
import { floorQuery, keys, nearbyQuery, shelfQuery } from "./keys";

type Shelf = Schemas["ShelfShown"];
export type ThingKind = Exclude<keyof Shelf, "mark_presets">;

/** The Shelf: every thing of the shop; changed, added and taken away one at a time. */
export function useShelf() {
  const queries = useQueryClient();
  const { data: shelf, error } = useQuery(shelfQuery);
  const keep = (fresh: Shelf) => {
    queries.setQueryData(shelfQuery.queryKey, fresh);
    void queries.invalidateQueries({ queryKey: floorQuery.queryKey });
    void queries.invalidateQueries({ queryKey: keys.everyRun });
  };
  const failed = (problem: unknown) => {
    sayProblem(problem);
    void queries.invalidateQueries({ queryKey: shelfQuery.queryKey });
  };
  const tied = { onSuccess: keep, onError: failed };
  const change = useMutation({
    mutationFn: ({ kind, id, version, changes }: { kind: ThingKind; id: number; version: number; changes: Record<string, unknown> }) =>
      told(api.POST("/api/shelf/{kind}/{row_id}", { params: { path: { kind, row_id: id } }, body: { version, changes } })),
    ...tied,
  });
  const add = useMutation({
    mutationFn: ({ kind, ...body }: { kind: ThingKind } & Schemas["AddAsked"]) =>
      told(api.POST("/api/shelf/{kind}", { params: { path: { kind } }, body })),
    onSuccess: ({ shelf: fresh }) => keep(fresh),
    onError: failed,
  });
  const remove = useMutation({
    mutationFn: ({ kind, id }: { kind: ThingKind; id: number }) =>
      told(api.DELETE("/api/shelf/{kind}/{row_id}", { params: { path: { kind, row_id: id } } })),
    ...tied,
  });
  return { shelf, error, change, add, remove };
}

/** Machines that announce themselves, and ports of this computer. */
export const useNearby = () => useQuery(nearbyQuery);

/** A machine that is asked who it is: what answers is remembered. */
export function useAsked(kind: ThingKind, id: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => told(api.POST("/api/shelf/{kind}/{row_id}/ask", { params: { path: { kind, row_id: id } } })),
    onSettled: () => void queries.invalidateQueries({ queryKey: shelfQuery.queryKey }),
  });
}
