import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { api, type Schemas, shown, told } from "./client";
import { sayProblem, useChange, useHeld } from "./held";
import { floorQuery, sheetQuery, sheetsQuery } from "./keys";
import { useTask } from "./tasks";

export type BenchSheet = Schemas["BenchShown"];
export type End = "head" | "tail";
type CutWish = Partial<Schemas["CutAsked"]>;

/** A printed sheet at the Bench: laid, read, cut, counted. */
export function useSheet(id: number) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const held = useHeld<BenchSheet>(sheetQuery(id), [sheetsQuery.queryKey, floorQuery.queryKey]);
  const bench = held.data;
  const state = bench?.sheet.state;
  const path = { params: { path: { sheet_id: id } } };
  /** What is done here changes sheets, rolls, runs and the Floor. */
  const refresh = () => void queries.invalidateQueries();

  /** Hands have laid it; on a simulated cutter it is laid now. */
  const load = useChange(held, (end: End) =>
    shown<"BenchShown">(
      bench?.simulated
        ? api.POST("/api/room/sheets/{sheet_id}/lay", { ...path, body: { end } })
        : api.POST("/api/bench/{sheet_id}/load", { ...path, body: { end } }),
    ),
  );
  const look = useChange(held, () => shown<"BenchShown">(api.POST("/api/room/sheets/{sheet_id}/look", path)));
  const unseen = Boolean(bench?.simulated && bench.report && !bench.report.cut && bench.reading);
  useEffect(() => {
    if (unseen && look.isIdle) look.mutate(undefined);
  }, [unseen, look]);
  const count = useChange(held, (good: number) =>
    shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/count", { ...path, body: { good } })),
  );
  /** Settings of a tool for this run alone. */
  const setTool = useChange(held, (body: Schemas["ToolAsked"]) =>
    shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/tools", { ...path, body })),
  );
  const settle = useChange(held, (how: Schemas["DoubtAsked"]["how"]) =>
    shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/doubt", { ...path, body: { how } })),
  );
  /** What has been clicked and not been answered yet: clicks in quick succession are built on each other. */
  const clicked = useRef<Set<number> | null>(null);
  const markSpoiled = useMutation({
    mutationFn: (spoiled: Set<number>) =>
      shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/spoiled", { ...path, body: { spoiled: [...spoiled] } })),
    scope: held.tied.scope,
    onSuccess: (fresh, sent) => {
      if (clicked.current === sent) clicked.current = null;
      held.keep(clicked.current ? withSpoiled(fresh, clicked.current) : fresh);
    },
    onError: (problem) => {
      clicked.current = null;
      held.failed(problem);
      held.refresh();
    },
  });
  const recut = useChange(held, () => shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/recut", path)));
  const reprint = useMutation({
    mutationFn: () => told(api.POST("/api/bench/{sheet_id}/reprint", path)),
    onSuccess: ({ run_id }) => navigate(`/run/${run_id}`),
    onError: sayProblem,
  });

  /** What of the sheet was asked for, so that it is still meant when the tool is in. */
  const [wish, setWish] = useState<CutWish>({});
  /** Pieces that are chosen to be cut alone. */
  const [picked, setPicked] = useState<Set<number>>(new Set());
  const reading = useTask("marks", `reading ${id}`, refresh);
  const cutting = useTask(
    "cut",
    `cutting ${id}`,
    (result) => {
      if (result.state === "part") toast.success("Cut. Look at it, then cut the rest.");
      if (result.state === "shape") toast.success("The test shape is cut. Lift it: when it comes singly, go on; else change the force.");
      // what it waits for now, before the sheet is asked for again: an answered question must not stand there for a moment more
      const now = held.now();
      if (now) queries.setQueryData(sheetQuery(id).queryKey, { ...now, waits_for: result.state === "tool" ? result.waits_for : "" });
      setPicked(new Set());
      refresh();
    },
    refresh,
  );
  const read = (by: "head" | "photo" = "head") => {
    if ((state !== "loaded" && state !== "read") || reading.progress) return;
    if (by === "photo" ? !bench?.has_camera : !bench?.has_eye) return;
    const words = by === "photo" ? "Taking a photo" : "Looking for the code";
    void reading.start(words, () => told(api.POST("/api/bench/{sheet_id}/read", { ...path, body: { by } })));
  };
  const cut = (more: CutWish = {}) => {
    const waits = bench?.doubtful || (bench?.waits_for && !more.ready);
    if (state !== "read" || bench?.reading?.fit.verdict === "stop" || cutting.progress || waits) return;
    setWish(more);
    void cutting.start("Sending the cut", () =>
      told(api.POST("/api/bench/{sheet_id}/cut", { ...path, body: { one: false, shape: false, ...more } })),
    );
  };
  const cutShape = () => {
    if (state !== "read" || bench?.doubtful || cutting.progress) return;
    const ready = bench?.waits_for ? { ready: bench.waits_for } : {};
    void cutting.start("Cutting a test shape", () =>
      told(api.POST("/api/bench/{sheet_id}/cut", { ...path, body: { one: false, shape: true, ...ready } })),
    );
  };
  /** Before the cut pieces are chosen, after it they are spoiled; once more, and they are not. */
  const toggle = (pieces: number[]) => {
    if (state !== "cut") return setPicked(toggled(picked, pieces));
    const now = held.now();
    if (!now) return;
    const spoiled = toggled(clicked.current ?? spoiledOf(now), pieces);
    clicked.current = spoiled;
    queries.setQueryData(sheetQuery(id).queryKey, withSpoiled(now, spoiled));
    markSpoiled.mutate(spoiled);
  };
  return {
    bench,
    error: held.error,
    keep: held.keep,
    refresh,
    load,
    setTool,
    read,
    reading,
    cut,
    cutting,
    /** The cut that was asked for goes on with the tool that it waits for. */
    toolIsIn: () => cut({ ...wish, ready: bench?.waits_for }),
    /** A test shape beside the work with the tool that comes next; then the cut that was asked for goes on. */
    tryTool: () => cutShape(),
    hold: () => {
      reading.cancel();
      cutting.cancel();
    },
    count,
    settle,
    picked,
    toggle,
    recut,
    reprint,
  };
}

export const spoiledOf = (bench: BenchSheet) =>
  new Set(bench.pieces.filter((piece) => piece.state === "spoiled").map(({ number }) => number));

/** `held` with each of `pieces` put in, or taken out if it was there. */
export function toggled(held: ReadonlySet<number>, pieces: readonly number[]): Set<number> {
  const now = new Set(held);
  for (const piece of pieces) if (!now.delete(piece)) now.add(piece);
  return now;
}

/** The sheet as it will be once these pieces are spoiled and all others are not. */
export function withSpoiled(bench: BenchSheet, spoiled: ReadonlySet<number>): BenchSheet {
  const pieces = bench.pieces.map((piece) => {
    const state = spoiled.has(piece.number) ? "spoiled" : piece.state === "spoiled" ? "cut" : piece.state;
    return { ...piece, state } as typeof piece;
  });
  return { ...bench, pieces };
}
