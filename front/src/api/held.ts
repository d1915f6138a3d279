import { type QueryKey, useMutation, useQuery, useQueryClient, type UseQueryOptions } from "@tanstack/react-query";
import { toast } from "sonner";
import { Problem } from "./client";

export const sayProblem = (error: unknown) => void toast.error((error as Error).message);

/**
 * One document of the server on the screen: what it is now, and changes to it, which go out one after the other, each built
 * on what the one before made of it. What comes back takes its place at once; `also` is asked for again then. Somebody
 * else's edit in between (409) is said, and the document is shown as it is now.
 */
export function useHeld<T>(query: UseQueryOptions<T, Error, T, QueryKey>, also: QueryKey[]) {
  const queries = useQueryClient();
  const key = query.queryKey;
  const { data, error } = useQuery(query);
  const now = () => queries.getQueryData<T>(key);
  const keep = (fresh: T) => {
    const asked = queries.isFetching({ queryKey: key }) > 0;
    void queries.cancelQueries({ queryKey: key }); // what was asked before the edit must not come back over it
    queries.setQueryData(key, fresh);
    if (asked) void queries.invalidateQueries({ queryKey: key });
    for (const one of also) void queries.invalidateQueries({ queryKey: one });
  };
  const refresh = () => {
    for (const one of [key, ...also]) void queries.invalidateQueries({ queryKey: one });
  };
  const failed = (problem: unknown) => {
    sayProblem(problem);
    if (problem instanceof Problem && problem.status === 409) refresh();
  };
  const tied = { scope: { id: key.join(" ") }, onSuccess: keep, onError: failed };
  return { data, error, now, keep, refresh, failed, tied };
}

/** A change of a document: its answer is the document as it is then. */
export function useChange<T, V = void>(held: Pick<ReturnType<typeof useHeld<T>>, "tied">, ask: (wish: V) => Promise<T>) {
  return useMutation<T, Error, V>({ mutationFn: ask, ...held.tied });
}
