import { queryOptions, useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "./client";
import { beginRun } from "./beginRun";
import { useChange, useHeld } from "./held";
import { designsQuery, floorQuery, keys } from "./keys";
import { useTask } from "./tasks";

export type Job = Schemas["JobShown"];
export type JobListed = Schemas["JobListed"];
export type JobChanges = Schemas["JobChanges"];

export const jobQuery = (id: number) =>
  queryOptions({
    queryKey: ["job", id],
    queryFn: () => told(api.GET("/api/jobs/{job_id}", { params: { path: { job_id: id } } })),
  });
/** A page of its designs by their names. */
export const partsQuery = (id: number, text: string, skip: number) =>
  queryOptions({
    queryKey: [...jobQuery(id).queryKey, "parts", text, skip],
    queryFn: () => told(api.GET("/api/jobs/{job_id}/parts", { params: { path: { job_id: id }, query: { text, skip } } })),
    placeholderData: (before) => before,
  });
export const jobsQuery = (text: string, month: string, skip: number) =>
  queryOptions({
    queryKey: ["jobs", text, month, skip],
    queryFn: () => told(api.GET("/api/jobs", { params: { query: { text, month: month || undefined, skip } } })),
  });
export const findQuery = (text: string) =>
  queryOptions({
    queryKey: ["find", text],
    queryFn: () => told(api.GET("/api/find", { params: { query: { text } } })),
    enabled: text.trim() !== "",
    placeholderData: (before) => before,
  });

/** One job: what it is, what can be changed of it, designs that come from another one. */
export function useJob(id: number) {
  const queries = useQueryClient();
  const held = useHeld<Job>(jobQuery(id) as never, [
    ["jobs"],
    ["job", id, "parts"],
    floorQuery.queryKey,
    designsQuery.queryKey,
    keys.everyDesign,
  ]);
  const path = { params: { path: { job_id: id } } };
  const change = useChange<Job, JobChanges>(held, (changes) =>
    told(api.PATCH("/api/jobs/{job_id}", { ...path, body: { version: held.now()?.version ?? 0, changes } })),
  );
  const move = useMutation({
    mutationFn: async ({ design_id, to }: { design_id: number; to: number | "new" }) => {
      const job_id = to === "new" ? await newJob(held.now()) : to;
      return told(api.POST("/api/jobs/{job_id}/designs", { params: { path: { job_id } }, body: { design_id } }));
    },
    onSuccess: () => void queries.invalidateQueries(),
    onError: held.failed,
  });
  const plan = useMutation({
    mutationFn: async ({ name, stock_id }: Pick<Job, "name" | "stock_id">) =>
      beginRun({ name: name.slice(0, 110), items: await told(api.GET("/api/jobs/{job_id}/wanted", path)), stock_id }),
    onSuccess: () => void queries.invalidateQueries(),
    onError: held.failed,
  });
  const handOver = useChange<Job>(held, () =>
    told(api.POST("/api/jobs/{job_id}/handovers", { ...path, body: { version: held.now()?.version ?? 0, note: "" } })),
  );
  const takeBack = useChange<Job, number>(held, (handover_id) =>
    told(api.DELETE("/api/jobs/{job_id}/handovers/{handover_id}", { params: { path: { job_id: id, handover_id } } })),
  );
  const proving = useTask("proof", `proof ${id}`, held.refresh);
  const prove = () => void proving.start("Drawing the proof", () => told(api.POST("/api/jobs/{job_id}/proofs", path)));
  const answer = useChange<Job, { number: number } & Omit<Schemas["ProofAnswer"], "version">>(held, ({ number, ...body }) =>
    told(
      api.POST("/api/jobs/{job_id}/proofs/{number}/answer", {
        params: { path: { job_id: id, number } },
        body: { version: held.now()?.version ?? 0, ...body },
      }),
    ),
  );
  return {
    job: held.data,
    error: held.error,
    change: (changes: JobChanges) => change.mutate(changes),
    move,
    plan,
    handOver,
    takeBack,
    prove,
    proving,
    answer,
  };
}

/** A job of the same customer, for the same day. */
async function newJob(like: Job | undefined): Promise<number> {
  const body = { name: "New job", customer: like?.customer ?? "", due: like?.due ?? null };
  return (await told(api.POST("/api/jobs", { body }))).id;
}
