import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { api, told } from "../api/client";
import { sayProblem } from "../api/held";
import { FileButton } from "../ui/Button";

/** A job that was saved as a file, here or in another shop, taken in as a new one. */
export function TakeJob() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const take = useMutation({
    mutationFn: (file: File) => {
      const body = new FormData();
      body.append("file", file);
      return told(api.POST("/api/jobs/file", { body: body as never, bodySerializer: () => body }));
    },
    onSuccess: (taken) => {
      void queries.invalidateQueries();
      for (const words of taken.told) toast(words, { duration: 15_000 });
      void navigate(`/floor/job/${taken.id}`);
    },
    onError: sayProblem,
  });
  return (
    <FileButton accept=".zip" take={(file) => take.mutate(file)}>
      {take.isPending ? "Taking it in" : "Take in a saved job"}
    </FileButton>
  );
}
