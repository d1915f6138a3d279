import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { Link, Navigate, useNavigate, useParams } from "react-router";
import { api, type Schemas, shown, told } from "../api/client";
import { useTask } from "../api/tasks";
import { useKeys } from "../ui/keys";
import { Action, Key, NumberRow, Readings, Row, sayProblem, Section, Working } from "../ui/Readings";
import { figure } from "../ui/units";
import { CutFiles } from "./CutFiles";
import { JogDialog } from "./JogDialog";
import { BenchLog, forCutter, RollCut } from "./RollCut";
import { CutSheet, SheetView } from "./SheetView";
import { ToolStrip } from "./ToolStrip";

type BenchShown = Schemas["BenchShown"];
type End = "head" | "tail";

const VERDICTS = {
  go: ["Go", "border-[#9cc5ad] bg-pine-wash", "text-go"],
  check: ["Check", "border-check bg-[#fbf3df]", "text-check-text"],
  stop: ["Stop", "border-stop bg-[#f9e6e3]", "text-stop"],
} as const;

export default function Bench() {
  const { id } = useParams();
  const { data: sheets } = useQuery({ queryKey: ["sheets"], queryFn: () => told(api.GET("/api/sheets")), refetchInterval: 5000 });
  if (!sheets) return <main className="flex-1" />;
  const onShelf = sheets.filter((sheet) => !["printing", "unclear"].includes(sheet.state));
  if (!id) {
    const first = onShelf.find((sheet) => ["loaded", "read"].includes(sheet.state)) ?? onShelf.find(forCutter) ?? onShelf[0];
    if (first) return <Navigate to={`/bench/${first.id}`} replace />;
    return (
      <main className="flex flex-1 items-center justify-center">
        <p>
          No printed sheet waits. <Link to="/print" className="font-semibold text-pine underline">Print a run</Link> first.
        </p>
      </main>
    );
  }
  return <OneSheet key={id} id={Number(id)} sheets={onShelf} />;
}

function OneSheet({ id, sheets }: { id: number; sheets: Schemas["SheetShown"][] }) {
  const queries = useQueryClient();
  const key = ["bench", id];
  const path = { params: { path: { sheet_id: id } } };
  const [chosenEnd, setChosenEnd] = useState<End | null>(null);
  const [view, setView] = useState<"plan" | "picture">("picture");
  const { data: bench, error } = useQuery({ queryKey: key, queryFn: () => shown<"BenchShown">(api.GET("/api/bench/{sheet_id}", path)) });
  const refresh = () => void queries.invalidateQueries();
  const keep = (fresh: BenchShown) => {
    queries.setQueryData(key, fresh);
    void queries.invalidateQueries({ queryKey: ["sheets"] });
    void queries.invalidateQueries({ queryKey: ["floor"] });
  };
  const load = useMutation({ mutationFn: (end: End) => shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/load", { ...path, body: { end } })), onSuccess: keep, onError: sayProblem });
  const count = useMutation({ mutationFn: (good: number) => shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/count", { ...path, body: { good } })), onSuccess: keep, onError: sayProblem });
  const settle = useMutation({ mutationFn: (how: "cut" | "again" | "spoiled") => shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/doubt", { ...path, body: { how } })), onSuccess: keep, onError: sayProblem });
  const navigate = useNavigate();
  /** What of the sheet was asked for, so that it is still meant when the tool is in. */
  const [wish, setWish] = useState<Partial<Schemas["CutAsked"]>>({});
  const [jogged, setJogged] = useState<string | null>(null);
  const [picked, setPicked] = useState<Set<number>>(new Set());
  const markSpoiled = useMutation({ mutationFn: (spoiled: number[]) => shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/spoiled", { ...path, body: { spoiled } })), onSuccess: keep, onError: sayProblem });
  const recut = useMutation({ mutationFn: () => shown<"BenchShown">(api.POST("/api/bench/{sheet_id}/recut", path)), onSuccess: keep, onError: sayProblem });
  const reprint = useMutation({ mutationFn: () => told(api.POST("/api/bench/{sheet_id}/reprint", path)), onSuccess: ({ run_id }) => navigate(`/run/${run_id}`), onError: sayProblem });
  const reading = useTask("marks", `reading ${id}`, refresh);
  const cutting = useTask("cut", `cutting ${id}`, (result) => {
    if (result.state === "part") toast.success("Cut. Look at it, then cut the rest.");
    // what it waits for now, before the sheet is asked for again: an answered question must not stand there for a moment more
    queries.setQueryData<BenchShown>(key, (held) => held && { ...held, waits_for: result.state === "tool" ? result.waits_for : "" });
    setPicked(new Set());
    refresh();
  }, refresh);
  const state = bench?.sheet.state ?? "";
  const spoiled = bench?.pieces.filter((piece) => piece.state === "spoiled").map(({ number }) => number) ?? [];
  const toggle = (pieces: number[]) => {
    if (state === "cut") {
      // what is on its way counts: two quick clicks are two pieces
      const held = queries.getQueryData<BenchShown>(key) ?? bench;
      const now = new Set(held?.pieces.filter((piece) => piece.state === "spoiled").map(({ number }) => number));
      for (const piece of pieces) if (!now.delete(piece)) now.add(piece);
      if (held) queries.setQueryData<BenchShown>(key, { ...held, pieces: held.pieces.map((piece) => ({ ...piece, state: now.has(piece.number) ? "spoiled" : piece.state === "spoiled" ? "cut" : piece.state })) });
      markSpoiled.mutate([...now]);
    } else {
      const now = new Set(picked);
      for (const piece of pieces) if (!now.delete(piece)) now.add(piece);
      setPicked(now);
    }
  };
  const read = (by: "head" | "photo" = "head") => {
    if (["loaded", "read"].includes(state) && !reading.progress) void reading.start(by === "photo" ? "Taking a photo" : "Looking for the code", () => told(api.POST("/api/bench/{sheet_id}/read", { ...path, body: { by } })));
  };
  const cut = (more: Partial<Schemas["CutAsked"]> = {}) => {
    if (state !== "read" || bench?.reading?.fit.verdict === "stop" || cutting.progress || bench?.doubtful || (bench?.waits_for && !more.ready)) return;
    setWish(more);
    void cutting.start("Sending the cut", () => told(api.POST("/api/bench/{sheet_id}/cut", { ...path, body: { one: false, ...more } })));
  };
  const hold = () => {
    reading.cancel();
    cutting.cancel();
  };
  useKeys({ m: () => read(), p: () => read("photo"), Enter: () => cut(), h: hold, o: () => cut({ one: true }) });

  if (error) return <main className="flex-1 p-6">{error.message} <Link to="/bench" className="font-semibold text-pine underline">Back to the Bench</Link></main>;
  if (!bench) return <main className="flex-1" />;
  const fit = bench.reading?.fit;
  const end: End = bench.reading?.end ?? chosenEnd ?? "head";
  const cutThere = state === "cut" && !bench.report;
  const laid = ["loaded", "read", "cut"].includes(state) && !cutThere;
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col p-6 pt-[18px]" aria-label="Bench">
        <div className="mb-2.5 flex items-start justify-between gap-4">
          <div className="min-w-0">
            <h1 className="truncate">Frame {bench.sheet.frame} · {bench.sheet.run_name}</h1>
            <p className="text-[12px] text-slate">
              {cutThere ? "cut where it was printed" : laid ? `loaded ${end} first` : "on the shelf of printed sheets"}
              {bench.reading && (
                <>
                  {end === "tail" ? " ◂ data turned to match" : ""} · code <span className="font-code">{bench.reading.code}</span>
                </>
              )}
            </p>
          </div>
          <div className="flex shrink-0 gap-2">
            {bench.report?.box && (
              <button type="button" onClick={() => setView(view === "plan" ? "picture" : "plan")} className="h-11 rounded-[6px] border border-rule bg-white px-4 font-semibold hover:border-slate">
                {view === "plan" ? "Show the cut sheet" : "Show what moved"}
              </button>
            )}
            <button type="button" onClick={() => read("photo")} disabled={!["loaded", "read"].includes(state) || reading.progress !== null} className="flex h-11 items-center gap-2 rounded-[6px] border border-rule bg-white px-4 font-semibold hover:border-slate disabled:text-slate/50">
              Read from a photo <Key>P</Key>
            </button>
            <button type="button" onClick={() => read()} disabled={!["loaded", "read"].includes(state) || reading.progress !== null} className="flex h-11 items-center gap-2 rounded-[6px] border border-rule bg-white px-4 font-semibold hover:border-slate disabled:text-slate/50">
              {bench.reading ? "Read marks again" : "Read marks"} <Key>M</Key>
            </button>
          </div>
        </div>
        <div className="min-h-0 flex-1 overflow-hidden rounded-[8px] bg-[#CFD0C8]">
          {bench.report?.box && view === "picture" ? (
            <CutSheet id={id} report={bench.report} />
          ) : (
            <SheetView bench={bench} end={end} chosen={picked} toggle={toggle} />
          )}
        </div>
        {bench.tools.length > 0 && <ToolStrip tools={bench.tools} waitsFor={bench.waits_for} cutOnly={state === "read" && fit?.verdict !== "stop" && !cutting.progress ? (kind) => cut({ kinds: [kind] }) : null} />}
        <div className="mt-2.5 flex gap-2.5 overflow-x-auto" aria-label="Shelf of printed sheets">
          {sheets.map((sheet) => (
            <Link key={sheet.id} to={`/bench/${sheet.id}`} className={`flex h-[52px] min-w-[150px] flex-col justify-center rounded-[7px] border bg-paper px-3 ${sheet.id === id ? "border-2 border-pine" : "border-rule hover:border-slate"}`}>
              <span className="truncate font-semibold">{sheet.run_name}</span>
              <span className="text-[12px] text-slate">
                <span className="font-code">{sheet.name}</span> · {forCutter(sheet) ? "ready to cut" : WORDS[sheet.state] ?? sheet.state}
              </span>
            </Link>
          ))}
        </div>
      </main>
      <Readings label="Readings">
        {cutThere ? <CutThere /> : bench.report ? <CutResult bench={bench} /> : fit ? <Verdict bench={bench} /> : <LoadFirst laid={laid} reading={reading.progress !== null} />}
        <div className="mt-3 flex flex-col gap-2">
          {reading.progress && <Working progress={reading.progress} cancel={reading.cancel} stopWords="Hold (H)" />}
          {cutting.progress && <Working progress={cutting.progress} cancel={cutting.cancel} stopWords="Hold (H)" />}
          {bench.waits_for && state === "read" && !cutting.progress && (
            <>
              <p role="status" aria-label="Change of tool" className="rounded-[6px] border-2 border-check bg-[#fbf3df] p-3 text-[18px] font-semibold">Put in the {bench.waits_for}</p>
              <Action main tall onClick={() => cut({ ...wish, ready: bench.waits_for })} disabled={bench.doubtful > 0}>The {bench.waits_for} is in</Action>
            </>
          )}
          {bench.doubtful > 0 && !cutting.progress && <Doubt bench={bench} settle={(how) => settle.mutate(how)} pending={settle.isPending} />}
          {!laid && !cutThere && (
            <>
              <Action main tall onClick={() => { setChosenEnd("head"); load.mutate("head"); }} disabled={load.isPending || bench.sheet.wants_film}>Load head first</Action>
              <Action tall onClick={() => { setChosenEnd("tail"); load.mutate("tail"); }} disabled={load.isPending || bench.sheet.wants_film}>Load tail first</Action>
              {bench.sheet.wants_film && <p className="text-slate">It waits for film. <Link to={`/print/${bench.sheet.run_id}`} className="font-semibold text-pine underline">Put film on</Link></p>}
            </>
          )}
          {state === "loaded" && !reading.progress && <Action main tall hint="M" onClick={() => read()}>Read marks</Action>}
          {state === "read" && !cutting.progress && !reading.progress && !bench.waits_for && bench.doubtful === 0 && (
            <>
              <Action main tall hint="Enter" onClick={() => cut()} disabled={fit?.verdict === "stop"}>{bench.left === 0 ? "All is cut: finish" : begun(bench) ? "Go on with the rest" : `Cut frame ${bench.sheet.frame}`}</Action>
              {picked.size > 0 ? (
                <Action onClick={() => cut({ pieces: [...picked] })} disabled={fit?.verdict === "stop"}>Cut only the {picked.size === 1 ? "chosen piece" : `${picked.size} chosen pieces`}</Action>
              ) : (
                <Action hint="O" onClick={() => cut({ one: true })} disabled={fit?.verdict === "stop"}>Cut one piece first</Action>
              )}
            </>
          )}
          {state === "cut" && spoiled.length > 0 && (
            <>
              <Action main onClick={() => reprint.mutate()} disabled={reprint.isPending}>Print {spoiled.length} again</Action>
              {bench.reading && <Action onClick={() => recut.mutate()} disabled={recut.isPending}>Cut {spoiled.length === 1 ? "it" : `the ${spoiled.length}`} once more</Action>}
            </>
          )}
          {!reading.progress && !cutting.progress && <RollCut sheets={sheets} done={refresh} />}
          {laid && state !== "cut" && !reading.progress && !cutting.progress && (
            <div className="flex gap-2">
              <Action onClick={() => { setChosenEnd("head"); load.mutate("head"); }}>Lay head first</Action>
              <Action onClick={() => { setChosenEnd("tail"); load.mutate("tail"); }}>Lay tail first</Action>
            </div>
          )}
        </div>
        {bench.reading && <WhatMoved reading={bench.reading} size={bench.size_percent ?? null} jogTo={state === "read" && !cutting.progress ? setJogged : null} />}
        {jogged && <JogDialog sheet={id} mark={jogged} close={() => setJogged(null)} taken={keep} />}
        <Section title="Pieces">
          <Row label="On this sheet">{bench.sheet.pieces}</Row>
          {state === "cut" && <p className="my-1.5 text-[12px] text-slate">Click a piece that is spoiled, or Shift and drag a box over several.</p>}
          {state === "cut" ? (
            <NumberRow label="Good" kind="plain" decimals={0} step={1} least={0} most={bench.sheet.pieces} value={bench.sheet.good} why="What is not good is spoiled and shows on the Floor." onChange={(good) => count.mutate(Math.round(good))} />
          ) : (
            <Row label="To cut">{bench.pieces.length ? bench.pieces.filter((piece) => piece.state !== "cut").length : bench.sheet.pieces}</Row>
          )}
        </Section>
        <CutFiles id={id} forms={bench.file_forms} />
        <BenchLog />
      </Readings>
    </>
  );
}

/** Whether a part of the sheet is cut already. */
function begun(bench: BenchShown): boolean {
  return bench.tools.some((step) => step.done > 0);
}

/** What became of what was under the knife when the cut was broken off: a person looks and says. */
function Doubt({ bench, settle, pending }: { bench: BenchShown; settle: (how: "cut" | "again" | "spoiled") => void; pending: boolean }) {
  const pieces = bench.pieces.filter((piece) => piece.state === "doubtful").length;
  const certain = bench.tools.reduce((sum, step) => sum + step.done, 0);
  return (
    <section aria-label="In doubt" className="rounded-[8px] border-2 border-check bg-[#fbf3df] p-3.5">
      <p className="text-[18px] leading-6 font-semibold">Broken off. Look at {pieces === 1 ? "the piece" : `the ${pieces} pieces`} in amber</p>
      <p className="mt-1 mb-2.5">
        {certain} lines are cut for certain, {bench.doubtful} {bench.doubtful === 1 ? "was" : "were"} under the knife, {bench.left - bench.doubtful} are untouched. Nothing goes on before you say what you see.
      </p>
      <div className="flex flex-col gap-1.5">
        <Action onClick={() => settle("cut")} disabled={pending}>They are cut: go on without them</Action>
        <Action onClick={() => settle("again")} disabled={pending}>They are not: cut them again</Action>
        <Action onClick={() => settle("spoiled")} disabled={pending}>They are spoiled: leave them</Action>
      </div>
    </section>
  );
}

const WORDS: Record<string, string> = { printed: "waits for film", laminated: "ready to cut", loaded: "on the cutter", read: "marks read", cut: "cut" };

function CutThere() {
  return (
    <div className="rounded-[8px] border border-rule bg-white p-4">
      <div className="text-[34px] leading-10 font-bold">Cut</div>
      <p className="mt-1 text-[14px]">The printer cut it with its own knife: no marks to read, nothing to load. Count the good pieces below.</p>
    </div>
  );
}

function LoadFirst({ laid, reading }: { laid: boolean; reading: boolean }) {
  return (
    <div className="rounded-[8px] border border-rule bg-white p-4">
      <div className="text-[34px] leading-10 font-bold">{reading ? "Reading" : laid ? "Loaded" : "Load it"}</div>
      <p className="mt-1 text-[14px]">
        {laid ? "The head waits near the first code. Read the marks before anything is cut." : "Printed side up, flat and square, the edge at the loading line. Either end may go first: the code tells."}
      </p>
    </div>
  );
}

function Verdict({ bench }: { bench: BenchShown }) {
  const fit = bench.reading?.fit;
  if (!fit) return null;
  const [word, box, tone] = VERDICTS[fit.verdict];
  return (
    <div className={`rounded-[8px] border p-4 ${box}`} role="status" aria-label="Verdict">
      <div className={`text-[34px] leading-10 font-bold ${tone}`}>{word}</div>
      <p className="text-[14px]">
        worst expected miss <b className="text-[15px] font-semibold">{figure(fit.predicted_error_mm.max, 2)} mm</b>
      </p>
      <p className="text-[12px] text-slate">tolerance of this run {figure(bench.tolerance_mm, 2)} mm</p>
    </div>
  );
}

function CutResult({ bench }: { bench: BenchShown }) {
  const report = bench.report;
  if (!report) return null;
  if (!report.cut || !report.without) {
    return (
      <div className={`rounded-[8px] border p-4 ${VERDICTS.check[1]}`} role="status" aria-label="Cut">
        <div className={`text-[34px] leading-10 font-bold ${VERDICTS.check[2]}`}>Cut</div>
        <p className="text-[14px]">{report.unseen ?? "How far off it is was not seen."} Look at the sheet itself.</p>
      </div>
    );
  }
  const good = report.cut.worst_mm <= bench.tolerance_mm;
  return (
    <div className={`rounded-[8px] border p-4 ${VERDICTS[good ? "go" : "stop"][1]}`} role="status" aria-label="Cut">
      <div className={`text-[34px] leading-10 font-bold ${good ? "text-go" : "text-stop"}`}>{good ? "Cut" : "Cut, but off"}</div>
      <p className="text-[14px]">
        worst miss <b className="text-[15px] font-semibold">{figure(report.cut.worst_mm, 2)} mm</b>
      </p>
      <p className="text-[12px] text-slate">
        median {figure(report.cut.median_mm, 3)} mm · p95 {figure(report.cut.p95_mm, 3)} mm
      </p>
      <p className="mt-1.5 text-[12px]">
        Placed by one mark without the fit it would have missed by {figure(report.without.worst_mm, 1)} mm.
      </p>
    </div>
  );
}

function WhatMoved({ reading, size, jogTo }: { reading: NonNullable<BenchShown["reading"]>; size: number | null; jogTo: ((mark: string) => void) | null }) {
  const { moved, marks, fit } = reading;
  const percent = (value: number) => `${value > 0 ? "+" : ""}${figure(value, 2)} %`;
  const found = marks.filter((mark) => mark.measured);
  const leftOut = new Set(fit.residuals.filter((one) => !one.used).map(({ id }) => id));
  const unsure = marks.filter((mark) => !mark.measured || leftOut.has(mark.id));
  const byHand = marks.filter((mark) => mark.by_hand).length;
  const again = marks.filter((mark) => mark.tries > 1);
  return (
    <>
      <Section title="What moved">
        {size !== null && Math.abs(size - 100) > 0.8 && (
          <p role="alert" className="mb-1 rounded-[6px] border-2 border-check bg-[#fbf3df] p-2.5 font-semibold">Printed at {figure(size, 1)} % of its planned size. Is that what was ordered? The cut follows the print.</p>
        )}
        <Row label={moved.along_percent >= 0 ? "Longer along the feed" : "Shorter along the feed"}>{percent(moved.along_percent)}</Row>
        <Row label={moved.across_percent >= 0 ? "Wider across" : "Narrower across"}>{percent(moved.across_percent)}</Row>
        <Row label="Turned">{figure(moved.turned_deg, 2)}°</Row>
        <Row label="Out of square">{figure(moved.out_of_square_mm, 2)} mm</Row>
        <Row label="Bowed">{figure(moved.bowed_mm, 2)} mm</Row>
      </Section>
      <Section title="Marks">
        <Row label={reading.by === "photo" ? "Read from photos" : "Read"}>{found.length} of {marks.length}</Row>
        {again.length > 0 && <Row label="Looked for farther out">{again.map(({ id }) => id).join(", ")}</Row>}
        {byHand > 0 && <Row label="Pointed at by hand">{byHand}</Row>}
        {jogTo && unsure.map((mark) => (
          <Action key={mark.id} onClick={() => jogTo(mark.id)}>Lead the head to mark {mark.id}</Action>
        ))}
        <Row label="Left over after the fit">{figure(fit.max_mm, 3)} mm</Row>
        {unsure.filter((mark) => !mark.measured && mark.looked_mm).map((mark) => (
          <p key={mark.id} className="mt-1.5 text-[12px] text-slate">Mark {mark.id} was not found within {figure(mark.looked_mm ?? 0, 0)} mm of where it should be.</p>
        ))}
        {fit.reasons.map((reason) => (
          <p key={reason} className="mt-1.5 text-[12px] text-slate">{reason}</p>
        ))}
      </Section>
    </>
  );
}
