import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { barQuery, benchLogQuery, floorQuery, sheetsQuery } from "./keys";

/** What others may have changed meanwhile: asked again when the pulse is another one, and not before. */
const LIVE = [floorQuery.queryKey, sheetsQuery.queryKey, benchLogQuery.queryKey, ["job"], ["jobs"]];

/** The line on top of every page, and through its pulse whatever else has to follow the shop. */
export function useBar() {
  const queries = useQueryClient();
  const { data: bar } = useQuery(barQuery);
  const seen = useRef<string | undefined>(undefined);
  const pulse = bar?.pulse;
  useEffect(() => {
    if (pulse === undefined || pulse === seen.current) return;
    if (seen.current !== undefined) for (const queryKey of LIVE) void queries.invalidateQueries({ queryKey });
    seen.current = pulse;
  }, [pulse, queries]);
  return bar;
}
