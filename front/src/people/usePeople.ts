import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, Problem, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";

export type Me = Schemas["Me"];
export type Account = Schemas["AccountShown"];
export type Token = Schemas["TokenShown"];
export type Role = Account["role"];

export const ROLE_WORDS: Record<Role, string> = { owner: "Owner", operator: "Operator", viewer: "May only look" };

/** Who is signed in here; null: nobody. */
export const meQuery = queryOptions({
  queryKey: ["me"],
  queryFn: async () => {
    try {
      return await told(api.GET("/api/people/me"));
    } catch (problem) {
      if (problem instanceof Problem && problem.status === 401) return null;
      throw problem;
    }
  },
  staleTime: Infinity,
});
export const startQuery = queryOptions({ queryKey: ["start"], queryFn: () => told(api.GET("/api/people/start")) });
export const accountsQuery = queryOptions({ queryKey: ["accounts"], queryFn: () => told(api.GET("/api/people/accounts")) });
export const tokensQuery = queryOptions({ queryKey: ["tokens"], queryFn: () => told(api.GET("/api/people/tokens")) });
export const browsersQuery = queryOptions({ queryKey: ["browsers"], queryFn: () => told(api.GET("/api/people/me/browsers")) });

export const useMe = () => useQuery(meQuery).data ?? null;

/** Whether whoever is signed in has a right: what one may not see is not asked for. */
export const useMay = (right: string) => useMe()?.rights.includes(right) ?? false;

/** Somebody else is at work here, or nobody: nothing that was asked before is shown. */
export function useTurn() {
  const queries = useQueryClient();
  return async () => {
    await queries.fetchQuery({ ...meQuery, staleTime: 0 });
    await queries.resetQueries({ predicate: ({ queryKey }) => !["me", "link"].includes(String(queryKey[0])) });
  };
}

/** A change of the own account, whose answer is the account as it is then. */
export function useMyself<V>(ask: (wish: V) => Promise<Me>, done?: () => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ask,
    onSuccess: (me) => {
      queries.setQueryData(meQuery.queryKey, me);
      done?.();
    },
    onError: sayProblem,
  });
}

/** A change of accounts or tokens, whose answer is their list. */
export function useList<T, V>(key: readonly string[], ask: (wish: V) => Promise<T>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: ask, onSuccess: (fresh) => queries.setQueryData(key, fresh), onError: sayProblem });
}
