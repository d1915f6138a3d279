import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useNavigate } from "react-router";
import { api, type Schemas, told } from "../api/client";
import { nextToCheckQuery } from "../api/keys";
import { useMay } from "../people/usePeople";

/** What comes after a design: the next one of its job that waits to be looked at, whose line is found meanwhile; then
 * the job itself. */
export function useNext(design: Schemas["DesignShown"] | undefined) {
  const navigate = useNavigate();
  const { data: next } = useQuery({ ...nextToCheckQuery(design?.id ?? 0), enabled: design !== undefined });
  const may = useMay("PREPARE");
  const [ahead, lineless] = [next?.id ?? null, next?.lineless ?? false];
  // not before this design has its own line: whoever looks at it does not wait for another's
  const here = design !== undefined && (design.lines !== null || design.document.width_mm === null);
  useEffect(() => {
    if (ahead === null || !lineless || !here || !may) return;
    const path = { params: { path: { design_id: ahead } } };
    told(api.PUT("/api/designs/{design_id}/lines", path)).catch(() => {}); // else it is found when that design is opened
  }, [ahead, lineless, here, may]);
  const goOn = () => {
    if (design && next) void navigate(next.id === null ? `/floor/job/${design.job_id}` : `/lines/${next.id}`);
  };
  return { next, goOn };
}
