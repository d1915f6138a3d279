import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "./client";
import { sayProblem } from "./held";
import { floorQuery, keys, shelfQuery } from "./keys";

type Shelf = Schemas["ShelfShown"];

/** The Shelf: every thing of the shop, and changes to one at a time; `added` is told of what came new. */
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
    mutationFn: ({ kind, id, version, changes }: { kind: string; id: number; version: number; changes: Record<string, unknown> }) =>
      told(api.POST("/api/shelf/{kind}/{row_id}", { params: { path: { kind, row_id: id } }, body: { version, changes } })),
    ...tied,
  });
  const addColour = useMutation({
    mutationFn: (name: string) => told(api.POST("/api/shelf/colours", { body: { name, cyan: 0, magenta: 0, yellow: 0, black: 100 } })),
    ...tied,
  });
  const addMarks = useMutation({
    mutationFn: (preset: string) => told(api.POST("/api/shelf/mark-sets", { body: { preset } })),
    ...tied,
  });
  const removeColour = useMutation({
    mutationFn: (id: number) => told(api.DELETE("/api/shelf/colours/{row_id}", { params: { path: { row_id: id } } })),
    ...tied,
  });
  return { shelf, error, change, addColour, addMarks, removeColour };
}
