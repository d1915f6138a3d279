import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "./client";
import { sayProblem } from "./held";

export type Kind = "job" | "design" | "run";

const wholeQuery = (kind: Kind, number: number) =>
  queryOptions({
    queryKey: ["whole", kind, number],
    queryFn: () => told(api.GET("/api/whole/{kind}/{number}", { params: { path: { kind, number } } })),
    gcTime: 0,
  });

/** A job, a design or a run as a whole; what deleting it means is asked when it is `asked`. */
export function useWhole(kind: Kind, number: number) {
  const queries = useQueryClient();
  const path = { params: { path: { kind, number } } };
  const { data: whole } = useQuery(wholeQuery(kind, number));
  const then = { onSuccess: () => void queries.invalidateQueries(), onError: sayProblem };
  const again = useMutation<Schemas["MadeAgain"], Error>({
    mutationFn: () => told(api.POST("/api/whole/{kind}/{number}/again", path)),
    ...then,
  });
  const putAway = useMutation<unknown, Error, boolean>({
    mutationFn: (away) => told(api.PUT("/api/whole/{kind}/{number}/away", { ...path, body: { away } })),
    ...then,
  });
  const remove = useMutation<unknown, Error>({
    mutationFn: () => told(api.DELETE("/api/whole/{kind}/{number}", path)),
    onError: sayProblem,
  });
  /** What deleting means may be another thing by now. */
  const ask = () => queries.invalidateQueries({ queryKey: ["whole", kind, number] });
  /** After it is gone: nothing of it is asked for any more. */
  const forget = () => {
    queries.removeQueries({ queryKey: ["whole", kind, number] });
    queries.removeQueries({ queryKey: [kind, number] });
    void queries.invalidateQueries();
  };
  return { whole, again, putAway, remove, ask, forget };
}
