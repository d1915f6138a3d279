import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { toast } from "sonner";
import { api, told } from "../api/client";
import { sayProblem } from "../api/held";
import { shelfQuery } from "../api/keys";

const look = "text-[13px] font-semibold text-pine hover:underline";

/** The library of colours as a file that spreadsheets read, out and in. */
export function ColoursFile() {
  const queries = useQueryClient();
  const file = useRef<HTMLInputElement>(null);
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
      <a href="/api/shelf/colours" download className={look}>
        Save as CSV
      </a>
      <button type="button" className={look} onClick={() => file.current?.click()} disabled={take.isPending}>
        Take a CSV
      </button>
      <input
        ref={file}
        type="file"
        accept=".csv,text/csv,text/plain"
        aria-label="Colours as CSV"
        className="hidden"
        onChange={(event) => {
          const given = event.target.files?.[0];
          if (given) take.mutate(given);
          event.target.value = "";
        }}
      />
    </>
  );
}
