import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { designsQuery, floorQuery } from "../api/keys";
import { TextButton } from "../ui/Button";

/** The same art as one more design, for another size of it in the same run. */
export function TakeAgain({ design }: { design: Schemas["DesignShown"] }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const again = useMutation({
    mutationFn: () => told(api.POST("/api/designs/{design_id}/again", { params: { path: { design_id: design.id } } })),
    onSuccess: async ({ ids }) => {
      await queries.invalidateQueries({ queryKey: designsQuery.queryKey });
      void queries.invalidateQueries({ queryKey: floorQuery.queryKey });
      void navigate(`/lines/${ids[0]}`);
    },
    onError: sayProblem,
  });
  return <TextButton onClick={() => again.mutate()}>Take it once more, at another size</TextButton>;
}
