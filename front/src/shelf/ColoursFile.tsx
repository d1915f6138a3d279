import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, told } from "../api/client";
import { sayProblem } from "../api/held";
import { shelfQuery } from "../api/keys";
import { FileLink, linkLook } from "../ui/Button";

/** The library of colours as a file that spreadsheets read, out and in. */
export function ColoursFile() {
  const queries = useQueryClient();
  const take = useMutation({
    mutationFn: async (given: File) => told(api.POST("/api/shelf/colours", { body: { name: given.name, text: await given.text() } })),
    onSuccess: ({ added, changed }) => {
      toast.success(`${added} new colours, ${changed} changed.`);
      void queries.invalidateQueries({ queryKey: shelfQuery.queryKey });
    },
    onError: sayProblem,
  });
  return (
    <>
      <a href="/api/shelf/colours" download className={linkLook}>
        Save as CSV
      </a>
      <FileLink accept=".csv,text/csv,text/plain" label="Colours as CSV" take={(given) => take.mutate(given)} disabled={take.isPending}>
        Take a CSV
      </FileLink>
    </>
  );
}
