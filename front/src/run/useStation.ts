import { useState } from "react";
import type { Schemas } from "../api/client";
import type { Blank } from "./bed/blanks";
import { type Run, useRun } from "../api/useRun";

/** The name of one copy on the roll. */
export const keyOf = (placement: { id: string; copy: number }) => `${placement.id}-${placement.copy}`;
const designOf = (key: string) => Number(key.slice(0, key.lastIndexOf("-")));

/** What Run holds while one run is open: the run, which pieces are chosen, whether layouts are compared. */
export function useStation(id: number) {
  const held = useRun(id);
  const { run, hand, fill, layouts } = held;
  const [selected, select] = useState<string[]>([]);
  const [comparing, setComparing] = useState(false);
  const [adding, setAdding] = useState(false);
  const [wantsBed, setArranging] = useState<boolean | null>(null);
  const [blank, chooseBlank] = useState<number | null>(null);
  const placements = run?.layout?.placements ?? [];

  const withChosen = (done: Omit<Parameters<typeof hand.mutate>[0], "keys">) => {
    if (selected.length === 0) return;
    // pieces that are gone afterwards are not chosen any more
    const stay = (fresh: Run) => {
      const there = new Set(fresh.layout?.placements.map(keyOf));
      select((keys) => keys.filter((key) => there.has(key)));
    };
    hand.mutate({ ...done, keys: selected }, { onSuccess: stay });
  };
  const allPinned = selected.length > 0 && selected.every((key) => run?.document.pinned?.includes(key));
  /** Designs to fill with: those of the chosen pieces, or all. */
  const fillers = [...new Set(selected.map(designOf))];
  return {
    ...held,
    selected,
    select,
    chosen: placements.filter((placement) => selected.includes(keyOf(placement))),
    withChosen,
    allPinned,
    pin: () => withChosen({ do: allPinned ? "let go" : "pin" }),
    nudge: (right: number, along: number) => () => withChosen({ do: "move", by_mm: [right, along] }),
    fillers,
    fillWith: (to: Schemas["FillWish"]["to"]) => {
      if (!run || run.plans.length === 0) return;
      fill.mutate({ design_ids: fillers.length ? fillers : run.pieces.map((piece) => piece.design_id), to });
    },
    comparing,
    setComparing,
    setAside: () => run?.figures && layouts.mutate({ do: "keep", which: null }),
    adding,
    setAdding,
    /** The bed is on the stage, and blanks are set down on it. */
    arranging: (wantsBed ?? !run?.fresh) && run?.document.laying === "bed" && run.document.bed.places.length > 0,
    setArranging,
    nest: () => {
      setArranging(null);
      held.nest();
    },
    /** The chosen blank, from 0. */
    blank,
    chooseBlank,
    putBlanks: (words: string, change: (now: Blank[]) => Blank[]) =>
      held.change(words, ({ bed }) => ({ bed: { ...bed, places: change(bed.places) } })),
  };
}

export type Station = ReturnType<typeof useStation> & { run: Run };
