import { toast } from "sonner";
import { api, type Schemas, told } from "./client";

export type RunWish = Omit<Schemas["RunAsked"], "with_remakes">;

/** A new run; what was spoiled of other jobs and joins it is told. */
export async function beginRun(body: RunWish): Promise<Schemas["RunBegun"]> {
  const run = await told(api.POST("/api/runs", { body: { ...body, with_remakes: true } }));
  for (const words of run.joined) toast(`With ${words}.`, { description: "Undo takes it out of this run." });
  return run;
}
