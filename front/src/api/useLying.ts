import { useMutation } from "@tanstack/react-query";
import { api, told } from "./client";

type Tied = { onSuccess: () => void; onError: (problem: unknown) => void };

/** What hands say of the roll that lies on the printer of a run, and of the tool in its knife. */
export function useLying(run: number, tied: Tied) {
  const path = { params: { path: { run_id: run } } };
  const putRollOn = useMutation({
    mutationFn: () => told(api.POST("/api/room/runs/{run_id}/roll", path)),
    ...tied,
  });
  /** The printer means the stock of the run by this name. */
  const thatIsIt = useMutation({
    mutationFn: (name: string) => told(api.PUT("/api/print/{run_id}/called", { ...path, body: { name } })),
    ...tied,
  });
  /** What a scanner read from the label of the roll; null: it lies there no more. */
  const scanned = useMutation({
    mutationFn: (label: string | null) =>
      told(
        label === null
          ? api.DELETE("/api/print/{run_id}/scanned", path)
          : api.PUT("/api/print/{run_id}/scanned", { ...path, body: { label } }),
      ),
    ...tied,
  });
  /** Hands have put this tool into the knife of the printer. */
  const toolIsIn = useMutation({
    mutationFn: (tool: string) => told(api.PUT("/api/print/{run_id}/tool", { ...path, body: { tool } })),
    ...tied,
  });
  return { putRollOn, thatIsIt, scanned, toolIsIn };
}
