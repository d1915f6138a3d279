import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, shown, told } from "./client";
import { sayProblem } from "./held";
import { keys } from "./keys";

export type Braille = NonNullable<Schemas["DesignShown"]["document"]["braille"]>;
export type BrailleWish = Partial<Omit<Schemas["BrailleAsked"], "revision">>;

const choicesQuery = queryOptions({ queryKey: ["braille"], queryFn: () => told(api.GET("/api/braille")), staleTime: Infinity });

/** Braille on a design: what is said, by which table, in which sizes, and where it stands. */
export function useBraille(design: Schemas["DesignShown"], keep: (fresh: Schemas["DesignShown"]) => void) {
  const queries = useQueryClient();
  const { data: choices } = useQuery(choicesQuery);
  const held = design.document.braille;
  const put = useMutation({
    scope: { id: `design ${design.id}` },
    mutationFn: (wish: BrailleWish) => {
      const { revision } = queries.getQueryData<Schemas["DesignShown"]>(keys.design(design.id)) ?? design;
      const now = held
        ? { text: held.text, as_typed: held.as_typed, table: held.table, sizes: held.sizes, x_mm: held.x_mm, y_mm: held.y_mm }
        : { text: "", as_typed: false, table: "en-ueb-g2.ctb", sizes: "ada-2010" };
      const body = { ...now, ...wish, revision };
      return shown<"DesignShown">(api.PUT("/api/braille/{design_id}", { params: { path: { design_id: design.id } }, body }));
    },
    onSuccess: keep,
    onError: sayProblem,
  });
  const { data: placement } = useQuery({
    queryKey: ["braille", design.id, design.revision, design.lines !== null],
    queryFn: () => told(api.GET("/api/braille/{design_id}/placement", { params: { path: { design_id: design.id } } })),
    enabled: held !== null,
  });
  return { choices, held, placement, put: put.mutate, putting: put.isPending };
}
