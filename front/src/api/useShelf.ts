import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "./client";
import { useChange, useHeld } from "./held";
import { changed, stepOf, stepped, useShelfSteps } from "./shelfSteps";
import { floorQuery, keys, ledgerQuery, nearbyQuery, openQuery, shelfQuery } from "./keys";

type Shelf = Schemas["ShelfShown"];
export type ThingKind = Exclude<keyof Shelf, "mark_presets">;

/** `reason`: why a roll has another length now. */
type Change = { kind: ThingKind; id: number; changes: Record<string, unknown>; reason?: string };

/** The Shelf: every thing of the shop; changed, added and taken away one at a time. */
export function useShelf() {
  const held = useHeld<Shelf>(shelfQuery, [floorQuery.queryKey, openQuery.queryKey, keys.everyRun, keys.ofWebs]);
  const steps = useShelfSteps();
  const send = async ({ kind, id, ...body }: Change, taken: (before: Shelf[ThingKind][number] | undefined) => void) => {
    // as it is when this goes out: the change before it may have been on its way when this was typed
    const row = held.now()?.[kind].find((one) => one.id === id);
    const path = { params: { path: { kind, row_id: id } } };
    const fresh = await told(
      api.POST("/api/shelf/{kind}/{row_id}", { ...path, body: { reason: "", ...body, version: row?.version ?? 0 } }),
    );
    taken(row);
    return fresh;
  };
  const change = useChange(held, (asked: Change) =>
    send(asked, (row) => {
      const step = row && stepOf(asked.kind, row, asked.changes);
      if (step) changed(step);
    }),
  );
  /** The last change that was made from this page, undone; or done again. */
  const step = useChange(held, async (way: "undo" | "redo") => {
    const last = (way === "undo" ? useShelfSteps.getState().done : useShelfSteps.getState().undone).at(-1);
    if (!last) return held.now() as Shelf;
    const changes = way === "undo" ? last.before : last.after;
    return send({ kind: last.kind as ThingKind, id: last.id, changes, reason: way === "undo" ? "undone" : "done again" }, () =>
      stepped(way),
    );
  });
  const add = useMutation({
    mutationFn: ({ kind, ...body }: { kind: ThingKind } & Schemas["AddAsked"]) =>
      told(api.POST("/api/shelf/{kind}", { params: { path: { kind } }, body })),
    ...held.tied,
    onSuccess: ({ shelf: fresh }) => held.keep(fresh),
  });
  const remove = useChange(held, ({ kind, id }: { kind: ThingKind; id: number }) =>
    told(api.DELETE("/api/shelf/{kind}/{row_id}", { params: { path: { kind, row_id: id } } })),
  );
  const words = { undo: steps.done.at(-1)?.words, redo: steps.undone.at(-1)?.words };
  return { shelf: held.data, error: held.error, change, step, ...words, add, remove };
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
