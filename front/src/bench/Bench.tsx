import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, Navigate, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { sheetsQuery } from "../api/keys";
import { type BenchSheet, type End, useSheet } from "../api/useSheet";
import { Button } from "../ui/Button";
import { Empty } from "../ui/Empty";
import { Gone } from "../ui/Gone";
import { useKeys } from "../ui/keys";
import { Readings } from "../ui/Readings";
import { BenchReadings } from "./BenchReadings";
import { CutSheet } from "./CutSheet";
import { forCutter } from "./RollCut";
import { SheetView } from "./SheetView";
import { ToolStrip } from "./ToolStrip";
import { rim } from "../ui/look";

type Listed = Schemas["SheetShown"];

export default function Bench() {
  const { id } = useParams();
  const { data: sheets } = useQuery(sheetsQuery);
  if (!sheets) return <main className="flex-1" />;
  const onShelf = sheets.filter((sheet) => !sheet.only_printed && !["printing", "unclear"].includes(sheet.state));
  if (!id) {
    const first = onShelf.find((sheet) => ["loaded", "read"].includes(sheet.state)) ?? onShelf.find(forCutter) ?? onShelf[0];
    if (first) return <Navigate to={`/bench/${first.id}`} replace />;
    return (
      <Empty label="Bench" title="No printed sheet waits" to="/print" action="Print a run">
        A sheet comes here when it is printed and has its film, or when its stock takes none.
      </Empty>
    );
  }
  return <OneSheet key={id} id={Number(id)} sheets={onShelf} />;
}

function OneSheet({ id, sheets }: { id: number; sheets: Listed[] }) {
  const station = useSheet(id);
  const { bench, error, cutting } = station;
  const [chosenEnd, setChosenEnd] = useState<End | null>(null);
  const [view, setView] = useState<"plan" | "picture">("picture");
  useKeys({
    m: () => station.read(),
    p: () => station.read("photo"),
    Enter: () => station.cut(),
    h: station.hold,
    o: () => station.cut({ one: true }),
  });
  if (error) return <Gone error={error} back="bench" name="the Bench" />;
  if (!bench) return <main className="flex-1" />;
  const end = bench.reading?.end ?? chosenEnd ?? "head";
  const mayCut = bench.sheet.state === "read" && bench.reading?.fit.verdict !== "stop" && !cutting.progress;
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col p-6 pt-[18px]" aria-label="Bench">
        <div className="mb-2.5 flex items-start justify-between gap-4">
          <Title bench={bench} end={end} />
          <div className="flex shrink-0 gap-2">
            {bench.report?.box && (
              <Button looks tall onClick={() => setView(view === "plan" ? "picture" : "plan")}>
                {view === "plan" ? "Show the cut sheet" : "Show what moved"}
              </Button>
            )}
            <ReadButtons station={station} bench={bench} />
          </div>
        </div>
        <div className="min-h-0 flex-1 overflow-hidden rounded-[8px] bg-table">
          {bench.report?.box && view === "picture" ? (
            <CutSheet id={id} report={bench.report} />
          ) : (
            <SheetView bench={bench} end={end} chosen={station.picked} toggle={station.toggle} />
          )}
        </div>
        {bench.tools.length > 0 && (
          <ToolStrip tools={bench.tools} waitsFor={bench.waits_for} cutOnly={mayCut ? (kind) => station.cut({ kinds: [kind] }) : null} />
        )}
        <PrintedSheets sheets={sheets} shown={id} />
      </main>
      <Readings label="Readings">
        <BenchReadings end={end} station={station} bench={bench} sheets={sheets} setEnd={setChosenEnd} />
      </Readings>
    </>
  );
}

function Title({ bench, end }: { bench: BenchSheet; end: End }) {
  const { state, frame, run_name } = bench.sheet;
  const there = state === "cut" && !bench.report;
  const laid = ["loaded", "read", "cut"].includes(state);
  const turned = end === "tail" ? ": the cut is turned" : "";
  return (
    <div className="min-w-0">
      <h1 className="truncate">
        {/* a run of several frames names them itself */}
        {run_name.endsWith(`frame ${frame}`) ? run_name : `${run_name}, frame ${frame}`}
      </h1>
      <p className="text-[12px] text-slate">
        {there ? "cut where it was printed" : laid ? `loaded ${end} first${bench.reading ? turned : ""}` : "on the shelf of printed sheets"}
        {bench.reading && (
          <>
            {" · "}
            {bench.reading.code ? <span className="font-code">{bench.reading.code}</span> : "no code"}
          </>
        )}
      </p>
    </div>
  );
}

function ReadButtons({ station, bench }: { station: ReturnType<typeof useSheet>; bench: BenchSheet }) {
  const cannot = !["loaded", "read"].includes(bench.sheet.state) || station.reading.progress !== null;
  return (
    <>
      {bench.has_camera && (
        <Button tall hint="P" onClick={() => station.read("photo")} disabled={cannot}>
          Read from a photo
        </Button>
      )}
      {bench.has_eye && (
        <Button tall hint="M" onClick={() => station.read()} disabled={cannot}>
          {bench.reading ? "Read marks again" : "Read marks"}
        </Button>
      )}
    </>
  );
}

const WORDS: Record<string, string> = {
  printed: "waits for film",
  laminated: "ready to cut",
  loaded: "on the cutter",
  read: "marks read",
  cut: "cut",
};

/** The shelf of printed sheets, each with what it waits for. */
function PrintedSheets({ sheets, shown }: { sheets: Listed[]; shown: number }) {
  return (
    <div className="mt-2.5 flex gap-2.5 overflow-x-auto" role="group" aria-label="Shelf of printed sheets">
      {sheets.map((sheet) => (
        <Link
          key={sheet.id}
          to={`/bench/${sheet.id}`}
          aria-current={sheet.id === shown ? "page" : undefined}
          className={`flex h-[52px] min-w-[150px] flex-col justify-center rounded-[7px] border bg-paper px-3 ${rim(sheet.id === shown)}`}
        >
          <span className="truncate font-semibold">{sheet.run_name}</span>
          <span className="text-[12px] text-slate">
            <span className="font-code">{sheet.name}</span> · {forCutter(sheet) ? "ready to cut" : (WORDS[sheet.state] ?? sheet.state)}
          </span>
        </Link>
      ))}
    </div>
  );
}
