import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { openQuery, shelfQuery, testCardsQuery } from "../api/keys";
import { type Found, useTask } from "../api/tasks";

export type Card = Schemas["CardsShown"]["cards"][number];
export type Named = { id: number; name: string; simulated?: boolean; printer_id?: number | null };
/** A card that lies on the cutter: where its steps are, in mm, and what part of the table its picture shows. */
export type CutCard = Found<"card"> & { made: number };

export const FOR_A_TOOL = new Set(["force", "knife"]);
export const CUT = new Set(["force", "knife", "sensor", "feed", "print-to-cut", "own knife, marks"]);
export const PRINTED = new Set(["nozzles", "two-way", "own knife", "own knife, marks"]);
const OF_A_PRINTER = new Set(["nozzles", "two-way"]);
const OF_A_KNIFE = new Set(["own knife", "own knife, marks"]);

/** The machines that a card can be about; the knife of a printer is one of the cutters of the Shelf. */
export function machinesFor(card: string, shelf: Schemas["ShelfShown"]): { label: "Printer" | "Cutter"; machines: Named[] } {
  if (OF_A_PRINTER.has(card)) return { label: "Printer", machines: shelf.printer.filter((one) => !one.away) };
  const cutters = shelf.cutter.filter((one) => !one.away);
  const fits = (one: (typeof cutters)[number]) =>
    OF_A_KNIFE.has(card) ? one.printer_id !== null : FOR_A_TOOL.has(card) || one.printer_id === null;
  return { label: "Cutter", machines: cutters.filter(fits) };
}
export const isLadder = (name: string) => name.startsWith("first_") || name.startsWith("step_") || name === "told_mm" || name === "nozzles";

/** A file goes as a form. */
const asForm = (file: File) => {
  const form = new FormData();
  form.append("file", file);
  return form;
};

/** One press makes one card, however often it reaches the server. */
const once = (ready?: string) => ({ key: crypto.randomUUID(), ...(ready ? { ready } : {}) });

export const useTestCards = () => useQuery(testCardsQuery);

/** A test card in hand: on which machine and stock, made, read by camera or by eye, and entered. */
export function useTestCard(card: Card, { label, machines }: ReturnType<typeof machinesFor>, shelf: Schemas["ShelfShown"]) {
  const stocks = shelf.stock.filter((one) => !one.away);
  const queries = useQueryClient();
  const [readings, setReadings] = useState<Record<string, number>>(
    Object.fromEntries(card.questions.map((question) => [question.name, question.usual])),
  );
  const [machine, setMachine] = useState(String(machines[0]?.id));
  const [stock, setStock] = useState(String(stocks[0]?.id));
  const [kind, setKind] = useState<"kiss" | "through" | "perforation">("kiss");
  const onWhich = label === "Printer" ? { printer_id: Number(machine) } : { cutter_id: Number(machine) };
  /** In a printer what was printed last may still lie under the knife: hands say there that stock is bare. */
  const inPrinter = typeof machines.find(({ id }) => String(id) === machine)?.printer_id === "number";
  const asked = { card: card.name, ...onWhich, stock_id: Number(stock), kind, readings, bare: inPrinter };
  const [cut, setCut] = useState<CutCard | null>(null);
  const [waitsFor, setWaitsFor] = useState("");
  const simulated = machines.find(({ id }) => String(id) === machine)?.simulated ?? false;
  const printsAreSimulated = label === "Printer" && simulated;
  /** Hands lay a bare piece first; on a simulated cutter it is laid now. Rings are cut on the sheet that lies there. */
  const cutCard = (ready?: string) =>
    void cutting.start("Cutting the card", async () => {
      if (simulated && card.name !== "print-to-cut" && !ready) await told(api.POST("/api/room/cards/bare", { body: asked }));
      return told(api.POST("/api/test-cards/cut", { body: { ...asked, ...once(ready) } }));
    });
  const cutting = useTask("card", `card ${card.name}`, (result) => {
    setWaitsFor(result.waits_for);
    setCut(result.state === "cut" ? { ...result, made: Date.now() } : null);
  });
  const reading = useTask("readings", `card reading ${card.name}`, (result) => setReadings(result.readings));
  const [scan, setScan] = useState<Schemas["ScanKept"] | null>(null);
  const scanning = useMutation({
    mutationFn: (source: File | string) =>
      typeof source === "string"
        ? told(api.POST("/api/room/prints/{name}/scan", { params: { path: { name: source } } }))
        : told(api.POST("/api/test-cards/scans", { body: { file: source.name }, bodySerializer: () => asForm(source) })),
    onSuccess: setScan,
    onError: sayProblem,
  });
  const printing = useTask("card print", `card print ${card.name}`, (result) => {
    setScan(null);
    setWaitsFor(result.waits_for);
    if (printsAreSimulated && result.print) scanning.mutate(result.print);
  });
  const enter = useMutation({
    mutationFn: () => told(api.POST("/api/test-cards", { body: asked })),
    onSuccess: (fresh) => {
      queries.setQueryData(testCardsQuery.queryKey, fresh);
      void queries.invalidateQueries({ queryKey: shelfQuery.queryKey });
      void queries.invalidateQueries({ queryKey: openQuery.queryKey });
      toast.success(fresh.history[0]?.words ?? "Kept.");
    },
    onError: sayProblem,
  });
  return {
    card,
    label,
    machines,
    stocks,
    readings,
    setReading: (of: string, value: number) => setReadings({ ...readings, [of]: value }),
    machine,
    setMachine,
    stock,
    setStock,
    stockName: stocks.find(({ id }) => String(id) === stock)?.name ?? "the stock",
    kind,
    setKind,
    cut,
    inPrinter,
    cutCard,
    cutting,
    waitsFor,
    scan,
    scanning,
    simulated,
    printsAreSimulated,
    printCard: (ready?: string) =>
      void printing.start("Printing the card", () => told(api.POST("/api/test-cards/print", { body: { ...asked, ...once(ready) } }))),
    printing,
    reading,
    readByCamera: () => void reading.start("Looking at the card", () => told(api.POST("/api/test-cards/read", { body: asked }))),
    readScan: () =>
      scan &&
      void reading.start("Looking at the scan", () => told(api.POST("/api/test-cards/scans/read", { body: { ...asked, ...scan } }))),
    enter,
  };
}

export type CardInHand = ReturnType<typeof useTestCard>;
