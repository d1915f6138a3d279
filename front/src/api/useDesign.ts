import { useRef, useState } from "react";
import { api, type Schemas, shown, told } from "./client";
import { useChange, useHeld } from "./held";
import { designQuery, designsQuery, floorQuery } from "./keys";
import { isUnderWay, useTask } from "./tasks";

export type Design = Schemas["DesignShown"];
export type DesignChanges = Schemas["DesignChanges"];
export type ChangeDesign = (words: string, changes: DesignChanges) => void;

const findingOf = (id: number) => `lines ${id}`;
const begun = new Set<number>();
/** Its lines are being found since it was taken in: the page that is opened now follows that. */
export const linesAreBegun = (id: number, taskId: number) => {
  begun.add(id);
  isUnderWay(findingOf(id), taskId);
};
/** Whether that was said of it; once. */
export const wereBegun = (id: number) => begun.delete(id);

/** A design at Lines: its settings with undo, its art, and its lines, which are found anew after what changes them. */
export function useDesign(id: number) {
  const held = useHeld<Design>(designQuery(id), [designsQuery.queryKey, floorQuery.queryKey]);
  const path = { params: { path: { design_id: id } } };
  const revision = () => held.now()?.revision ?? 0;
  const edit = useChange(held, ({ words, changes }: { words: string; changes: DesignChanges }) =>
    shown<"DesignShown">(api.POST("/api/designs/{design_id}/edits", { ...path, body: { revision: revision(), words, changes } })),
  );
  const step = useChange(held, (way: "undo" | "redo") =>
    shown<"DesignShown">(
      api.POST("/api/designs/{design_id}/{way}", { params: { path: { design_id: id, way } }, body: { revision: revision() } }),
    ),
  );
  const arrange = useChange(held, (way: Schemas["ArrangeStep"]) =>
    shown<"DesignShown">(api.POST("/api/designs/{design_id}/arrangement", { ...path, body: { revision: revision(), step: way } })),
  );
  const marks = useChange(held, (at: [number, number] | null) =>
    shown<"DesignShown">(api.POST("/api/designs/{design_id}/marks", { ...path, body: { revision: revision(), at } })),
  );
  /** The path that was pressed last. */
  const [pressed, setPressed] = useState<Schemas["PathPressed"] | null>(null);
  const showPressed = (now: Schemas["PathPressed"]) => {
    setPressed(now);
    return now.design;
  };
  const press = useChange(held, (asked: Omit<Schemas["PathAsked"], "revision">) =>
    shown<"PathPressed">(api.POST("/api/designs/{design_id}/paths", { ...path, body: { revision: revision(), ...asked } })).then(
      showPressed,
    ),
  );
  const pressLike = useChange(held, (asked: Omit<Schemas["LikeAsked"], "revision">) =>
    shown<"PathPressed">(api.POST("/api/designs/{design_id}/paths/like", { ...path, body: { revision: revision(), ...asked } })).then(
      showPressed,
    ),
  );
  const mean = useChange(held, (body: Schemas["MeaningAsked"]) =>
    shown<"DesignShown">(api.PUT("/api/designs/{design_id}/meaning", { ...path, body })),
  );
  /** The revision of which no line was found. */
  const [refused, setRefused] = useState<number | null>(null);
  const finding = useTask(
    "lines",
    findingOf(id),
    () => {
      setRefused(null);
      held.refresh();
    },
    () => setRefused(held.now()?.revision ?? null),
  );
  /** Whether lines are being asked for; what is asked meanwhile is asked once more, or the last change would get none. */
  const asking = useRef<"no" | "once" | "once more">("no");
  const find = async () => {
    if (asking.current !== "no") {
      asking.current = "once more";
      return;
    }
    do {
      asking.current = "once";
      await finding.start("Finding the edge", () => told(api.PUT("/api/designs/{design_id}/lines", path)));
    } while ((asking.current as string) === "once more");
    asking.current = "no";
  };
  const recipe = useChange(held, (recipe_id: number) =>
    shown<"DesignShown">(api.POST("/api/designs/{design_id}/recipe", { ...path, body: { revision: revision(), recipe_id } })),
  );
  return {
    design: held.data,
    error: held.error,
    keep: held.keep,
    change: ((words, changes) => edit.mutate({ words, changes })) as ChangeDesign,
    step: (way: "undo" | "redo") => step.mutate(way),
    useRecipe: (recipe_id: number) => recipe.mutate(recipe_id),
    arrange: (way: Schemas["ArrangeStep"]) => arrange.mutate(way),
    mean: (word: Schemas["MeaningAsked"]["word"], means: Schemas["MeaningAsked"]["means"]) => mean.mutate({ word, means }),
    /** The registration marks that the page brings along; `at`: the one there and its like, mm from the lower left corner. */
    findMarks: (at: [number, number] | null) => marks.mutate(at),
    findingMarks: marks.isPending,
    pressed,
    press: press.mutate,
    pressLike: pressLike.mutate,
    find: () => void find(),
    finding,
    refused,
  };
}
