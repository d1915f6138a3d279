import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, Navigate, useParams } from "react-router";
import { api, type Schemas, shown, told } from "../api/client";
import { useTask } from "../api/tasks";
import { useKeys } from "../ui/keys";
import { Action, Key, NumberRow, Readings, Row, sayProblem, Section, Working } from "../ui/Readings";
import { figure } from "../ui/units";
import { CutSheet, SheetView } from "./SheetView";

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
  const onShelf = sheets.filter((sheet) => sheet.state !== "printing");
  if (!id) {
    const first = onShelf.find((sheet) => ["loaded", "read"].includes(sheet.state)) ?? onShelf.find((sheet) => sheet.state === "laminated") ?? onShelf[0];
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
  const reading = useTask(`reading ${id}`, refresh);
  const cutting = useTask(`cutting ${id}`, refresh);
  const state = bench?.sheet.state ?? "";
  const read = () => {
    if (["loaded", "read"].includes(state) && !reading.progress) void reading.start("Looking for the code", () => told(api.POST("/api/bench/{sheet_id}/read", path)));
  };
  const cut = () => {
    if (state === "read" && bench?.reading?.fit.verdict !== "stop" && !cutting.progress) void cutting.start("Sending the cut", () => told(api.POST("/api/bench/{sheet_id}/cut", path)));
  };
  useKeys({ m: read, Enter: cut, h: () => reading.cancel() });

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
            {bench.report && (
              <button type="button" onClick={() => setView(view === "plan" ? "picture" : "plan")} className="h-11 rounded-[6px] border border-rule bg-white px-4 font-semibold hover:border-slate">
                {view === "plan" ? "Show the cut sheet" : "Show what moved"}
              </button>
            )}
            <button type="button" onClick={read} disabled={!["loaded", "read"].includes(state) || reading.progress !== null} className="flex h-11 items-center gap-2 rounded-[6px] border border-rule bg-white px-4 font-semibold hover:border-slate disabled:text-slate/50">
              {bench.reading ? "Read marks again" : "Read marks"} <Key>M</Key>
            </button>
          </div>
        </div>
        <div className="min-h-0 flex-1 overflow-hidden rounded-[8px] bg-[#CFD0C8]">
          {bench.report && view === "picture" ? (
            <CutSheet id={id} report={bench.report} />
          ) : (
            <SheetView bench={bench} end={end} />
          )}
        </div>
        <div className="mt-3 flex gap-2.5 overflow-x-auto" aria-label="Shelf of printed sheets">
          {sheets.map((sheet) => (
            <Link key={sheet.id} to={`/bench/${sheet.id}`} className={`flex h-[52px] min-w-[150px] flex-col justify-center rounded-[7px] border bg-paper px-3 ${sheet.id === id ? "border-2 border-pine" : "border-rule hover:border-slate"}`}>
              <span className="truncate font-semibold">{sheet.run_name}</span>
              <span className="text-[12px] text-slate">
                <span className="font-code">{sheet.name}</span> · {WORDS[sheet.state] ?? sheet.state}
              </span>
            </Link>
          ))}
        </div>
      </main>
      <Readings label="Readings">
        {cutThere ? <CutThere /> : bench.report ? <CutResult bench={bench} /> : fit ? <Verdict bench={bench} /> : <LoadFirst laid={laid} reading={reading.progress !== null} />}
        <div className="mt-3 flex flex-col gap-2">
          {reading.progress && <Working progress={reading.progress} cancel={reading.cancel} stopWords="Hold (H)" />}
          {cutting.progress && <Working progress={cutting.progress} />}
          {!laid && !cutThere && (
            <>
              <Action main tall onClick={() => { setChosenEnd("head"); load.mutate("head"); }} disabled={load.isPending || state === "printed"}>Load head first</Action>
              <Action tall onClick={() => { setChosenEnd("tail"); load.mutate("tail"); }} disabled={load.isPending || state === "printed"}>Load tail first</Action>
              {state === "printed" && <p className="text-slate">It waits for film. <Link to={`/print/${bench.sheet.run_id}`} className="font-semibold text-pine underline">Put film on</Link></p>}
            </>
          )}
          {state === "loaded" && !reading.progress && <Action main tall hint="M" onClick={read}>Read marks</Action>}
          {state === "read" && !cutting.progress && !reading.progress && (
            <Action main tall hint="Enter" onClick={cut} disabled={fit?.verdict === "stop"}>Cut frame {bench.sheet.frame}</Action>
          )}
          {laid && state !== "cut" && !reading.progress && !cutting.progress && (
            <div className="flex gap-2">
              <Action onClick={() => { setChosenEnd("head"); load.mutate("head"); }}>Lay head first</Action>
              <Action onClick={() => { setChosenEnd("tail"); load.mutate("tail"); }}>Lay tail first</Action>
            </div>
          )}
        </div>
        {bench.reading && <WhatMoved reading={bench.reading} />}
        <Section title="Pieces">
          <Row label="On this sheet">{bench.sheet.pieces}</Row>
          {state === "cut" ? (
            <NumberRow label="Good" kind="plain" decimals={0} step={1} least={0} most={bench.sheet.pieces} value={bench.sheet.good} why="What is not good is spoiled and shows on the Floor." onChange={(good) => count.mutate(Math.round(good))} />
          ) : (
            <Row label="To cut">{bench.sheet.pieces}</Row>
          )}
        </Section>
      </Readings>
    </>
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

function WhatMoved({ reading }: { reading: NonNullable<BenchShown["reading"]> }) {
  const { moved, marks, fit } = reading;
  const percent = (value: number) => `${value > 0 ? "+" : ""}${figure(value, 2)} %`;
  const found = marks.filter((mark) => mark.measured);
  const again = marks.filter((mark) => mark.tries > 1);
  return (
    <>
      <Section title="What moved">
        <Row label={moved.along_percent >= 0 ? "Longer along the feed" : "Shorter along the feed"}>{percent(moved.along_percent)}</Row>
        <Row label={moved.across_percent >= 0 ? "Wider across" : "Narrower across"}>{percent(moved.across_percent)}</Row>
        <Row label="Turned">{figure(moved.turned_deg, 2)}°</Row>
        <Row label="Out of square">{figure(moved.out_of_square_mm, 2)} mm</Row>
        <Row label="Bowed">{figure(moved.bowed_mm, 2)} mm</Row>
      </Section>
      <Section title="Marks">
        <Row label="Read">{found.length} of {marks.length}</Row>
        <Row label="Second try">{again.length}</Row>
        <Row label="Left over after the fit">{figure(fit.max_mm, 3)} mm</Row>
        {fit.reasons.map((reason) => (
          <p key={reason} className="mt-1.5 text-[12px] text-slate">{reason}</p>
        ))}
      </Section>
    </>
  );
}
