import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, type Schemas, told } from "../api/client";

type Design = Schemas["DesignShown"];

/** Lines on the reduced picture while a control moves: one question under way at a time, the newest wish next. */
export function useLiveLines(id: number) {
  const [lines, setLines] = useState<Design["lines"]>(null);
  const wish = useRef<Partial<Design["document"]> | null>(null);
  const busy = useRef(false);
  const queries = useQueryClient();
  useEffect(
    () =>
      // the exact lines have come: they take the place of the quick ones
      queries.getQueryCache().subscribe((event) => {
        if (
          event.type === "updated" &&
          event.query.queryKey[0] === "design" &&
          event.query.queryKey[1] === id &&
          (event.query.state.data as Design | undefined)?.lines
        )
          setLines(null);
      }),
    [queries, id],
  );
  const ask = async () => {
    if (busy.current) return;
    busy.current = true;
    while (wish.current) {
      const changes = wish.current;
      wish.current = null;
      try {
        setLines(
          (await told(api.POST("/api/designs/{design_id}/lines/preview", { params: { path: { design_id: id } }, body: { changes } })))
            .lines,
        );
      } catch {
        setLines(null); // nothing is left of the line there: the exact one will say why
      }
    }
    busy.current = false;
  };
  return {
    lines,
    show: (changes: Partial<Design["document"]>) => {
      wish.current = changes;
      void ask();
    },
  };
}
