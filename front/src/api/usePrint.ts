import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, type Schemas, told } from "./client";
import { sayProblem, useHeld } from "./held";
import { floorQuery, keys, printQuery, sheetsQuery } from "./keys";
import { useCareDone } from "./useCare";
import { useFilm } from "./useFilm";
import { useLying } from "./useLying";
import { useTask } from "./tasks";
import { usePrintSettings } from "./usePrintSettings";

/** A sheet that waits for its printer is put by. */
export const holdInLine = (task_id: number) => told(api.POST("/api/queue/{task_id}/hold", { params: { path: { task_id } } }));

export type PrintShown = Schemas["PrintShown"];
export type PlateSet = PrintShown["plates"][number];
export type Sheet = Schemas["SheetShown"];

/** A run at Print: its plate sets, made when there are none, what is checked before sending, and its sheets. */
export function usePrint(id: number) {
  const queries = useQueryClient();
  const held = useHeld<PrintShown>(printQuery(id), [keys.checks(id), floorQuery.queryKey, sheetsQuery.queryKey]);
  const { data, refresh } = held;
  const path = { params: { path: { run_id: id } } };
  const { data: checks } = useQuery({
    queryKey: [...keys.checks(id), data?.settings.revision, data?.plates.length],
    queryFn: () => told(api.GET("/api/print/{run_id}/checks", path)),
    enabled: data !== undefined,
  });
  const failed = (problem: unknown) => {
    sayProblem(problem);
    refresh();
  };
  const tied = { onSuccess: refresh, onError: failed };
  const asked = () => ({ revision: held.now()?.settings.revision ?? 0, key: crypto.randomUUID() });

  const plating = useTask("plates", `plating ${id}`, refresh);
  const sending = useTask("print", `sending ${id}`, refresh, refresh);
  const made = useRef(false);
  const make = useRef(() => {});
  useEffect(() => {
    make.current = () => void plating.start("Making the print file", () => told(api.PUT("/api/print/{run_id}/plate", path)));
  });
  useEffect(() => {
    if (!data?.nested || data.plates.length || made.current) return;
    made.current = true;
    make.current();
  }, [data]);

  const send = (plate: PlateSet) =>
    void sending
      .start("Sending", () => told(api.POST("/api/plates/{plate_id}/send", { params: { path: { plate_id: plate.id } }, body: asked() })))
      .then(refresh);
  /** Every frame, one after the other; the last one is followed. */
  const sendAll = () =>
    void sending
      .start("Sending all frames", async () => {
        const { task_ids } = await told(api.POST("/api/print/{run_id}/send", { ...path, body: asked() }));
        return { task_id: task_ids.at(-1) ?? 0 };
      })
      .then(refresh);
  /** Every frame of several runs; the last one is followed. */
  const sendRuns = (runs: Schemas["RunSend"][], sent: () => void) =>
    void sending
      .start(`Sending ${runs.length} runs`, async () => {
        const { task_ids } = await told(api.POST("/api/print/send", { body: { runs, key: crypto.randomUUID() } }));
        sent();
        return { task_id: task_ids.at(-1) ?? 0 };
      })
      .then(() => queries.invalidateQueries({ queryKey: ["beside"] }))
      .then(refresh);
  const turn = useMutation({
    mutationFn: ({ task_id, way }: { task_id: number; way: "earlier" | "later" }) =>
      told(api.POST("/api/queue/{task_id}/turn", { params: { path: { task_id } }, body: { way } })),
    ...tied,
  });
  /** What is at work or waits of this run is called off: what has begun ends as far as it got. */
  const callOff = useMutation({
    mutationFn: () => {
      const own = held.now()?.queue.filter((one) => one.run_id === id) ?? [];
      return Promise.all(own.map(({ task_id }) => told(api.DELETE("/api/tasks/{task_id}", { params: { path: { task_id } } }))));
    },
    ...tied,
  });
  const careIsDone = useCareDone({ onSuccess: held.refresh, onError: held.failed });
  const holdQueued = useMutation({ mutationFn: holdInLine, ...tied });
  /** Sheets that were held, one after the other; the last one is followed. */
  const sendHeld = (...sheets: Sheet[]) =>
    void sending
      .start("Sending", async () => {
        let task_id = 0;
        for (const { id: sheet_id } of sheets) {
          ({ task_id } = await told(api.POST("/api/sheets/{sheet_id}/send", { params: { path: { sheet_id } } })));
        }
        return { task_id };
      })
      .then(refresh);
  const filming = useFilm(id, () => held.now()?.film_simulated ?? false, tied);
  const hold = useMutation({
    mutationFn: (plate: PlateSet) =>
      told(api.POST("/api/plates/{plate_id}/hold", { params: { path: { plate_id: plate.id } }, body: asked() })),
    ...tied,
  });
  const elsewhere = useMutation({
    mutationFn: (plates: PlateSet[]) =>
      Promise.all(
        plates.map(({ id: plate_id }) =>
          told(api.POST("/api/plates/{plate_id}/elsewhere", { params: { path: { plate_id } }, body: asked() })),
        ),
      ),
    ...tied,
  });
  const settle = useMutation({
    mutationFn: ({ sheet, how }: { sheet: Sheet; how: Schemas["SettleAsked"]["how"] }) =>
      told(api.POST("/api/sheets/{sheet_id}/settle", { params: { path: { sheet_id: sheet.id } }, body: { how } })),
    onSuccess: ({ task_id }) => {
      if (task_id !== null) void sending.start("Asking the printer", () => Promise.resolve({ task_id }));
      refresh();
    },
    onError: failed,
  });
  const letGo = useMutation({
    mutationFn: (sheet: Sheet) => told(api.DELETE("/api/sheets/{sheet_id}", { params: { path: { sheet_id: sheet.id } } })),
    ...tied,
  });
  const readStrip = useMutation({
    mutationFn: ({ sheet, file }: { sheet: Sheet; file: File }) => {
      const body = new FormData();
      body.append("file", file);
      const path = { path: { sheet_id: sheet.id } };
      return told(api.PUT("/api/sheets/{sheet_id}/strip", { params: path, body: body as never, bodySerializer: () => body }));
    },
    ...tied,
  });
  const lying = useLying(id, tied);
  const set = usePrintSettings(id, () => held.now()?.settings.revision ?? 0, {
    onSuccess: () => {
      made.current = false;
      refresh();
    },
    onError: failed,
  });
  return {
    shown: data,
    error: held.error,
    checks,
    /** Whether something stands in the way of sending; until that is known, it does. */
    stopped: checks?.some((check) => check.state === "stop") ?? true,
    set,
    send,
    sendAll,
    sendRuns,
    turn,
    callOff,
    holdQueued,
    careIsDone,
    sendHeld,
    ...filming,
    hold,
    elsewhere,
    settle,
    letGo,
    readStrip,
    ...lying,
    plating,
    sending,
  };
}
