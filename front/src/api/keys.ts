/** What is asked of the server, and under which name its answer is held. */
import { type QueryKey, queryOptions } from "@tanstack/react-query";
import { api, shown, told } from "./client";

export const keys = {
  design: (id: number): QueryKey => ["design", id],
  run: (id: number): QueryKey => ["run", id],
  print: (id: number): QueryKey => ["print", id],
  checks: (id: number): QueryKey => ["print checks", id],
  sheet: (id: number): QueryKey => ["sheet", id],
  shelf: ["shelf"] as QueryKey,
  /** Finishers and dies, as label webs use them. */
  ofWebs: ["of webs"] as QueryKey,
  everyDesign: ["design"],
  everyRun: ["run"],
  versions: (design: number, revision: number): QueryKey => ["versions", design, revision],
  plateLines: (plate: number): QueryKey => ["plate lines", plate],
  placeColours: (plate: number, x: number, y: number): QueryKey => ["place colours", plate, x, y],
  plateKinds: (plate: number): QueryKey => ["plate kinds", plate],
  window: (sheet: number, mark: string, place: { x: number; y: number } | null): QueryKey => ["window", sheet, mark, place],
  rulesTried: (design: number | undefined, rules: unknown): QueryKey => ["rules tried", design, rules],
};

/** All that stands on the Floor; asked again when the pulse of the bar is another one. */
export const floorQuery = queryOptions({ queryKey: ["floor"], queryFn: () => told(api.GET("/api/floor")) });
/** The one small thing that every page asks again and again. */
export const barQuery = queryOptions({ queryKey: ["bar"], queryFn: () => told(api.GET("/api/bar")), refetchInterval: 3000 });
/** Designs of open jobs, or those that are found by a text. */
export const designsQuery = queryOptions({ queryKey: ["designs"], queryFn: () => told(api.GET("/api/designs")) });
export const designsNamed = (text: string) =>
  queryOptions({
    queryKey: ["designs", text],
    queryFn: () => told(api.GET("/api/designs", { params: { query: { text } } })),
    placeholderData: (before) => before,
  });
export const runsQuery = queryOptions({ queryKey: ["runs"], queryFn: () => told(api.GET("/api/runs")) });
export const sheetsQuery = queryOptions({ queryKey: ["sheets"], queryFn: () => told(api.GET("/api/sheets")) });
export const benchLogQuery = queryOptions({
  queryKey: ["bench log"],
  queryFn: () => told(api.GET("/api/bench/log")),
});
export const rollPlanQuery = (sheet_ids: number[]) =>
  queryOptions({
    queryKey: ["roll plan", sheet_ids],
    queryFn: () => told(api.POST("/api/bench/roll/plan", { body: { sheet_ids } })),
    gcTime: 0,
  });
export const shelfQuery = queryOptions({ queryKey: keys.shelf, queryFn: () => told(api.GET("/api/shelf")) });
export const openQuery = queryOptions({ queryKey: ["open"], queryFn: () => told(api.GET("/api/shelf/open")) });
export const nearbyQuery = queryOptions({
  queryKey: ["nearby"],
  queryFn: () => told(api.GET("/api/shelf/nearby")),
  staleTime: 60_000,
});
export const ledgerQuery = (roll: number, left: number) =>
  queryOptions({
    queryKey: ["ledger", roll, left],
    queryFn: () => told(api.GET("/api/shelf/roll/{row_id}/ledger", { params: { path: { row_id: roll } } })),
  });
export const testCardsQuery = queryOptions({ queryKey: ["test cards"], queryFn: () => told(api.GET("/api/test-cards")) });
export const rulesQuery = queryOptions({ queryKey: ["rules"], queryFn: () => told(api.GET("/api/rules")) });
export const designQuery = (id: number) =>
  queryOptions({
    queryKey: keys.design(id),
    queryFn: () => shown<"DesignShown">(api.GET("/api/designs/{design_id}", { params: { path: { design_id: id } } })),
  });
/** The design of the same job to look at after one. */
export const nextToCheckQuery = (id: number) =>
  queryOptions({
    queryKey: ["next to check", id],
    queryFn: () => told(api.GET("/api/designs/{design_id}/next", { params: { path: { design_id: id } } })),
  });
export const widestQuery = (id: number, revision: number) =>
  queryOptions({
    queryKey: ["widest", id, revision],
    queryFn: () => told(api.GET("/api/designs/{design_id}/widest", { params: { path: { design_id: id } } })),
  });
export const runQuery = (id: number) =>
  queryOptions({
    queryKey: keys.run(id),
    queryFn: () => shown<"RunShown">(api.GET("/api/runs/{run_id}", { params: { path: { run_id: id } } })),
  });
/** Other runs that could be sent to the printer of a run. */
export const beside = (id: number, sheets: number) =>
  queryOptions({
    queryKey: ["beside", id, sheets],
    queryFn: () => told(api.GET("/api/print/{run_id}/beside", { params: { path: { run_id: id } } })),
  });
/** What the printer of a run holds, asked while it is planned. */
export const liesQuery = (id: number, of: unknown[]) =>
  queryOptions({
    queryKey: ["lies", id, ...of],
    queryFn: () => told(api.GET("/api/runs/{run_id}/printer", { params: { path: { run_id: id } } })),
    staleTime: 15_000,
  });
/** How many more pieces fit into the room that a run leaves. */
export const roomQuery = (id: number, revision: number) =>
  queryOptions({
    queryKey: ["room", id, revision],
    queryFn: () => told(api.GET("/api/runs/{run_id}/room", { params: { path: { run_id: id } } })),
    staleTime: Infinity,
  });
export const printQuery = (id: number) =>
  queryOptions({
    queryKey: keys.print(id),
    queryFn: () => told(api.GET("/api/print/{run_id}", { params: { path: { run_id: id } } })),
    // while its printer is at work, whoever sent what waits there
    refetchInterval: ({ state }) => (state.data?.queue.length ? 2000 : false),
  });
export const sheetQuery = (id: number) =>
  queryOptions({
    queryKey: keys.sheet(id),
    queryFn: () => shown<"BenchShown">(api.GET("/api/bench/{sheet_id}", { params: { path: { sheet_id: id } } })),
  });
