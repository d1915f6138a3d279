import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, type Schemas, told } from "./client";
import { sayProblem } from "./held";
import { keys } from "./keys";
import { useTask } from "./tasks";
import { useDesign } from "./useDesign";

export type Tiles = Schemas["TilesShown"];
export type TilesDocument = NonNullable<Tiles["document"]>;
export type Tile = Tiles["tiles"][number];
export type Area = TilesDocument["openings"][number];
export type ChangeTiles = (words: string, changes: Partial<TilesDocument>) => void;

const tilesQuery = (id: number, revision: number) =>
  queryOptions({
    queryKey: ["tiles", id, revision],
    queryFn: () => told(api.GET("/api/tiles/{design_id}", { params: { path: { design_id: id } } })) as unknown as Promise<Tiles>,
    placeholderData: (before) => before,
    enabled: revision > 0,
  });

/** A design that is taken apart: where its seams stand, its tiles, and what was made of them. */
export function useTiles(id: number) {
  const queries = useQueryClient();
  const { design, error, step } = useDesign(id);
  const revision = design?.revision ?? 0;
  const { data: tiles, error: gone } = useQuery(tilesQuery(id, revision));
  const path = { params: { path: { design_id: id } } };
  /** The design first: what shows that something was done lets hands go on, and undo is of the design as it is then. */
  const again = async () => {
    await queries.invalidateQueries({ queryKey: keys.design(id) });
    await queries.invalidateQueries({ queryKey: ["tiles", id] });
  };
  const asked = { scope: { id: `tiles ${id}` }, onSuccess: again, onError: sayProblem };
  const now = () => queries.getQueryData<Schemas["DesignShown"]>(keys.design(id))?.revision ?? revision;
  const begin = useMutation({
    mutationFn: () => told(api.POST("/api/tiles/{design_id}", { ...path, body: { revision: now() } })),
    ...asked,
  });
  const edit = useMutation({
    mutationFn: ({ words, changes }: { words: string; changes: Partial<TilesDocument> }) =>
      told(api.POST("/api/tiles/{design_id}/edits", { ...path, body: { revision: now(), words, changes } })),
    ...asked,
  });
  const whole = useMutation({
    mutationFn: () => told(api.POST("/api/tiles/{design_id}/whole", { ...path, body: { revision: now() } })),
    ...asked,
  });
  const pin = useMutation({
    mutationFn: () => told(api.POST("/api/tiles/{design_id}/assembly", path)),
    onSuccess: () => toast("The assembly is kept with the job."),
    onError: sayProblem,
  });
  const run = useMutation({
    mutationFn: () => told(api.POST("/api/tiles/{design_id}/run", path)),
    onSuccess: again,
    onError: sayProblem,
  });
  const finding = useTask("seams", `seams ${id}`, again);
  const making = useTask("tiles", `tiles ${id}`, again);
  return {
    design,
    tiles,
    error: error ?? gone,
    step,
    begin: () => begin.mutate(),
    change: ((words, changes) => edit.mutate({ words, changes })) as ChangeTiles,
    whole: () => whole.mutate(),
    pin: () => pin.mutate(),
    makeRun: (done: (run: number) => void) => !run.isPending && run.mutate(undefined, { onSuccess: ({ run_id }) => done(run_id) }),
    finding,
    find: () =>
      !finding.progress && void finding.start("Looking where the art is plain", () => told(api.PUT("/api/tiles/{design_id}/seams", path))),
    making,
    make: () => !making.progress && void making.start("Making the tiles", () => told(api.PUT("/api/tiles/{design_id}/made", path))),
  };
}

export type TilesStation = ReturnType<typeof useTiles>;
/** What is on the screen once both are there. */
export type Shown = TilesStation & { design: Schemas["DesignShown"]; tiles: Tiles };
