import { useMutation } from "@tanstack/react-query";
import { api, told } from "./client";

type Ended = { onSuccess: () => void; onError: (error: Error) => void };

/** Somebody has given a machine its care just now. */
export function useCareDone(ended: Ended) {
  return useMutation<void, Error, number>({
    mutationFn: async (care_id) => void (await told(api.POST("/api/care/{care_id}/done", { params: { path: { care_id } } }))),
    ...ended,
  });
}
