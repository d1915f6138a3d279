import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { api, shown } from "./client";
import { keys } from "./keys";
import type { RunChanges } from "./useRun";

/**
 * Changes of a run made at Print, one after the other, each on what the one before made of it, even while the page still
 * shows the run as it was (`seen`). A print goes by what is shown: its plates are of that.
 */
export function usePrintSettings(id: number, seen: () => number, tied: { onSuccess: () => void; onError: (problem: unknown) => void }) {
  const queries = useQueryClient();
  const latest = useRef(0);
  const change = useMutation({
    mutationFn: ({ words, changes }: { words: string; changes: RunChanges }) => {
      const revision = Math.max(seen(), latest.current);
      const path = { params: { path: { run_id: id } } };
      return shown<"RunShown">(api.POST("/api/runs/{run_id}/edits", { ...path, body: { revision, words, changes } }));
    },
    scope: { id: `print settings ${id}` },
    onSuccess: ({ revision }) => {
      latest.current = revision;
      void queries.invalidateQueries({ queryKey: keys.run(id) });
      tied.onSuccess();
    },
    onError: tied.onError,
  });
  return (words: string, changes: RunChanges) => change.mutate({ words, changes });
}
