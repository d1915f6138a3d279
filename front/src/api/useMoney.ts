import { queryOptions, useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "./client";
import { sayProblem } from "./held";

export type Quote = Schemas["QuoteShown"];
export type Prices = Schemas["PricesShown"];

/** Asked under the version of the job, because whatever changes it changes what it costs. */
export const quotesQuery = (job: number, version: string, times: number[]) =>
  queryOptions({
    queryKey: ["quotes", job, version, times],
    queryFn: () => told(api.GET("/api/jobs/{job_id}/quotes", { params: { path: { job_id: job }, query: { times } } })),
    placeholderData: (before) => before,
    retry: false,
  });
export const spentQuery = (job: number, version: string) =>
  queryOptions({
    queryKey: ["spent", job, version],
    queryFn: () => told(api.GET("/api/jobs/{job_id}/spent", { params: { path: { job_id: job } } })),
  });
export const pricesQuery = queryOptions({ queryKey: ["prices"], queryFn: () => told(api.GET("/api/prices")) });
export const recordsQuery = (text: string, month: string, skip: number) =>
  queryOptions({
    queryKey: ["records", text, month, skip],
    queryFn: () => told(api.GET("/api/records", { params: { query: { text, month: month || undefined, skip } } })),
    placeholderData: (before) => before,
  });
export const monthsQuery = queryOptions({ queryKey: ["months"], queryFn: () => told(api.GET("/api/records/months")) });

export function usePriceChange() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (prices: Prices) => {
      const { version, hour_hands, hour_printer, hour_cutter, run_minutes, frame_minutes, margin_percent } = prices;
      const body = { version, hour_hands, hour_printer, hour_cutter, run_minutes, frame_minutes, margin_percent };
      return told(api.PUT("/api/prices", { body }));
    },
    onSuccess: () => {
      for (const queryKey of [["prices"], ["quotes"], ["spent"]]) void queries.invalidateQueries({ queryKey });
    },
    onError: (problem) => {
      sayProblem(problem);
      void queries.invalidateQueries({ queryKey: ["prices"] });
    },
  });
}
