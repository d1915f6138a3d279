import { api, type Schemas, shown, told } from "./client";
import { useChange, useHeld } from "./held";
import { floorQuery, runQuery } from "./keys";
import { useTask } from "./tasks";

export type Run = Schemas["RunShown"];
export type RunChanges = Schemas["RunChanges"];
/** What is changed; worked out from the run as it is when its turn comes, where it changes a part of a set of settings. */
export type Changes = RunChanges | ((now: Run["document"]) => RunChanges);
export type ChangeRun = (words: string, changes: Changes) => void;
type HandStep = Schemas["HandStep"];

/** A run at Run: its settings with undo, its layout by nesting and by hand, and what is set aside to compare. */
export function useRun(id: number) {
  const held = useHeld<Run>(runQuery(id), [floorQuery.queryKey]);
  const path = { params: { path: { run_id: id } } };
  const revision = () => held.now()?.revision ?? 0;
  const edit = useChange(held, ({ words, changes }: { words: string; changes: Changes }) => {
    const now = held.now();
    const named = typeof changes !== "function" ? changes : now ? changes(now.document) : {};
    return shown<"RunShown">(api.POST("/api/runs/{run_id}/edits", { ...path, body: { revision: revision(), words, changes: named } }));
  });
  const step = useChange(held, (way: "undo" | "redo") =>
    shown<"RunShown">(api.POST("/api/runs/{run_id}/{way}", { params: { path: { run_id: id, way } }, body: { revision: revision() } })),
  );
  const hand = useChange(held, (done: Partial<HandStep> & Pick<HandStep, "do" | "keys">) => {
    const wish: HandStep = { by_mm: [0, 0], degrees: 90, to: "left", ...done };
    return shown<"RunShown">(api.POST("/api/runs/{run_id}/pieces", { ...path, body: { revision: revision(), step: wish } }));
  });
  const fill = useChange(held, (wish: Schemas["FillWish"]) =>
    shown<"RunShown">(api.POST("/api/runs/{run_id}/fill", { ...path, body: { revision: revision(), wish } })),
  );
  const layouts = useChange(held, (done: Schemas["LayoutStep"]) =>
    shown<"RunShown">(api.POST("/api/runs/{run_id}/layouts", { ...path, body: { revision: revision(), step: done } })),
  );
  const improving = useTask("shorter layout", `improve ${id}`, held.refresh);
  const nesting = useTask("layout", `nest ${id}`, ({ improving: more }) => {
    held.refresh();
    if (more) void improving.start("Looking for a shorter layout", () => Promise.resolve({ task_id: more }));
  });
  const nest = () => {
    if (!nesting.progress) void nesting.start("Nesting", () => told(api.PUT("/api/runs/{run_id}/nest", path)));
  };
  const recipe = useChange(held, (recipe_id: number) =>
    shown<"RunShown">(api.POST("/api/runs/{run_id}/recipe", { ...path, body: { revision: revision(), recipe_id } })),
  );
  return {
    run: held.data,
    error: held.error,
    change: ((words, changes) => edit.mutate({ words, changes })) as ChangeRun,
    /** A change of stock or machines: what no longer fits is nested anew at once. */
    changeMachine: ((words, changes) =>
      edit.mutate({ words, changes }, { onSuccess: (fresh) => fresh.layout && !fresh.fresh && nest() })) as ChangeRun,
    step: (way: "undo" | "redo") => step.mutate(way),
    /** What a recipe chose for runs: what no longer fits then is nested anew at once. */
    useRecipe: (recipe_id: number) => recipe.mutate(recipe_id, { onSuccess: (fresh) => fresh.layout && !fresh.fresh && nest() }),
    hand,
    fill,
    layouts,
    nest,
    nesting,
    improving,
  };
}
