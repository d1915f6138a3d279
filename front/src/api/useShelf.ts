import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "./client";
import { sayProblem } from "./held";
import { floorQuery, keys, ledgerQuery, nearbyQuery, openQuery, shelfQuery } from "./keys";

type Shelf = Schemas["ShelfShown"];
export type ThingKind = Exclude<keyof Shelf, "mark_presets">;

/** `reason`: why a roll has another length now. */
type Change = { kind: ThingKind; id: number; version: number; changes: Record<string, unknown>; reason?: string };

/** The Shelf: every thing of the shop; changed, added and taken away one at a time. */
export function useShelf() {
  const queries = useQueryClient();
  const { data: shelf, error } = useQuery(shelfQuery);
  const keep = (fresh: Shelf) => {
    queries.setQueryData(shelfQuery.queryKey, fresh);
    void queries.invalidateQueries({ queryKey: floorQuery.queryKey });
    void queries.invalidateQueries({ queryKey: openQuery.queryKey });
    void queries.invalidateQueries({ queryKey: keys.everyRun });
  };
  const failed = (problem: unknown) => {
    sayProblem(problem);
    void queries.invalidateQueries({ queryKey: shelfQuery.queryKey });
  };
  const tied = { onSuccess: keep, onError: failed };
  const change = useMutation({
    mutationFn: ({ kind, id, ...body }: Change) =>
      told(api.POST("/api/shelf/{kind}/{row_id}", { params: { path: { kind, row_id: id } }, body: { reason: "", ...body } })),
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

/** What the shop still lacks before it can work. */
export const useOpen = () => useQuery(openQuery);

/** What came on a roll and went off it, newest first; `left` is what it adds up to. */
export const useLedger = (roll: number, left: number) => useQuery(ledgerQuery(roll, left));

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
