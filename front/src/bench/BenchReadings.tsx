import { useState } from "react";
import type { Schemas } from "../api/client";
import { type BenchSheet, type End, spoiledOf, type useSheet } from "../api/useSheet";
import { Action, Way } from "../ui/Button";
import { NumberRow } from "../ui/Field";
import { Row, Section } from "../ui/Row";
import { Working } from "../ui/Working";
import { ByHand } from "./ByHand";
import { CutFiles } from "./CutFiles";
import { CodesSeen } from "./CodesSeen";
import { Doubt } from "./Doubt";
import { JogDialog } from "./JogDialog";
import { BenchLog, RollCut } from "./RollCut";
import { RollersToMove } from "./Rollers";
import { ToolsForJob } from "./ToolsForJob";
import { Verdict } from "./Verdicts";
import { WhatMoved } from "./WhatMoved";

type Station = ReturnType<typeof useSheet>;
type Props = { station: Station; bench: BenchSheet };

type ReadingsProps = Props & { sheets: Schemas["SheetShown"][]; end: End; setEnd: (end: End) => void };

/** What is to be read and done at the Bench: the verdict, the next step, what moved, the pieces, the log. */
export function BenchReadings({ station, bench, sheets, end, setEnd }: ReadingsProps) {
  const { reading, cutting } = station;
  const { state } = bench.sheet;
  const [jogged, setJogged] = useState<string | null>(null);
  const idle = !reading.progress && !cutting.progress;
  const load = (end: End) => {
    setEnd(end);
    station.load.mutate(end);
  };
  return (
    <>
      <Verdict bench={bench} reading={reading.progress !== null} />
      <div className="mt-3 flex flex-col gap-2">
        {reading.progress && <Working progress={reading.progress} cancel={reading.cancel} stopWords="Hold (H)" />}
        {cutting.progress && <Working progress={cutting.progress} cancel={cutting.cancel} stopWords="Hold (H)" />}
        {bench.doubtful > 0 && !cutting.progress && (
          <Doubt bench={bench} settle={(how) => station.settle.mutate(how)} pending={station.settle.isPending} />
        )}
        {idle && <NextStep station={station} bench={bench} load={load} />}
        {idle && <RollCut sheets={sheets} simulated={bench.simulated} done={station.refresh} />}
        {idle && bench.simulated && (state === "loaded" || state === "read") && <SimulatedHands load={load} />}
      </div>
      {bench.reading && (
        <WhatMoved
          reading={bench.reading}
          size={bench.size_percent ?? null}
          tolerance={bench.tolerance_mm}
          jogTo={state === "read" && !cutting.progress ? setJogged : null}
        />
      )}
      {jogged && <JogDialog sheet={bench.sheet.id} mark={jogged} close={() => setJogged(null)} taken={station.keep} />}
      <RollersToMove bench={bench} end={end} />
      <Pieces station={station} bench={bench} />
      {bench.sheet.state !== "cut" && <ToolsForJob tools={bench.tools} set={(kind, told) => station.setTool.mutate({ kind, set: told })} />}
      <CutFiles id={bench.sheet.id} forms={bench.file_forms} kinds={[...new Set(bench.tools.map(({ kind }) => kind))]} />
      <BenchLog />
    </>
  );
}

type StepProps = Props & { load: (end: End) => void };

/** The one main action is the next step of the work. */
function NextStep({ station, bench, load }: StepProps) {
  const { state } = bench.sheet;
  if (state === "loaded") {
    if (bench.pointing) return <ByHand bench={bench} taken={station.keep} main />;
    return (
      <Action main tall hint="M" onClick={() => station.read()}>
        Read marks
      </Action>
    );
  }
  if (state === "read") {
    const go = bench.reading?.fit.verdict === "go";
    return (
      <>
        {bench.pointing && !go && <ByHand bench={bench} taken={station.keep} main />}
        {bench.waits_for ? <ToolChange station={station} bench={bench} /> : <Cut station={station} bench={bench} />}
        {bench.pointing && go && <ByHand bench={bench} taken={station.keep} main={false} />}
      </>
    );
  }
  if (state === "cut") return <AfterCut station={station} bench={bench} />;
  return <Load station={station} bench={bench} load={load} />;
}

function Load({ station, bench, load }: StepProps) {
  const cannot = station.load.isPending || bench.sheet.wants_film;
  return (
    <>
      <Action main tall onClick={() => load("head")} disabled={cannot}>
        {bench.simulated ? "Load head first" : "It lies head first"}
      </Action>
      <Action tall onClick={() => load("tail")} disabled={cannot}>
        {bench.simulated ? "Load tail first" : "It lies tail first"}
      </Action>
      {bench.sheet.wants_film && (
        <p className="text-slate">
          It waits for film. <Way to={`/print/${bench.sheet.run_id}`}>Put film on</Way>
        </p>
      )}
    </>
  );
}

function ToolChange({ station, bench }: Props) {
  return (
    <>
      <p
        role="status"
        aria-label="Change of tool"
        className="rounded-[6px] border-2 border-check bg-check-wash p-3 text-[18px] font-semibold"
      >
        Put in the {bench.waits_for}
      </p>
      <Action main tall onClick={station.toolIsIn} disabled={bench.doubtful > 0}>
        The {bench.waits_for} is in
      </Action>
      <Action onClick={station.tryTool} disabled={bench.doubtful > 0}>
        It is in: cut a test shape first
      </Action>
    </>
  );
}

function Cut({ station, bench }: Props) {
  if (bench.doubtful > 0) return null;
  const { cut, picked } = station;
  const stopped = bench.reading?.fit.verdict === "stop";
  const begun = bench.tools.some((step) => step.done > 0);
  return (
    <>
      <Action main tall hint="Enter" onClick={() => cut()} disabled={stopped}>
        {bench.left === 0 ? "All is cut: finish" : begun ? "Go on with the rest" : `Cut frame ${bench.sheet.frame}`}
      </Action>
      {picked.size > 0 ? (
        <Action onClick={() => cut({ pieces: [...picked] })} disabled={stopped}>
          Cut only the {picked.size === 1 ? "chosen piece" : `${picked.size} chosen pieces`}
        </Action>
      ) : (
        <Action hint="O" onClick={() => cut({ one: true })} disabled={stopped}>
          Cut one piece first
        </Action>
      )}
      {bench.left > 0 && (
        <Action onClick={station.tryTool} disabled={stopped}>
          Cut a test shape beside the work
        </Action>
      )}
    </>
  );
}

function AfterCut({ station, bench }: Props) {
  const spoiled = spoiledOf(bench).size;
  if (spoiled === 0) return null;
  const { reprint, recut } = station;
  return (
    <>
      <Action main onClick={() => reprint.mutate()} disabled={reprint.isPending}>
        Print {spoiled} again
      </Action>
      {bench.reading && (
        <Action onClick={() => recut.mutate()} disabled={recut.isPending}>
          Cut {spoiled === 1 ? "it" : `the ${spoiled}`} once more
        </Action>
      )}
    </>
  );
}

/** A real sheet is laid by hands; the simulated cutter has none. */
function SimulatedHands({ load }: { load: (end: End) => void }) {
  return (
    <section aria-label="Hands, simulated" className="rounded-[8px] border border-dashed border-slate p-3">
      <h2 className="text-[13px]">Hands (simulated)</h2>
      <p className="mb-2 text-[12px] text-slate">This cutter is a simulated one.</p>
      <div className="flex gap-2">
        <Action onClick={() => load("head")}>Lay head first</Action>
        <Action onClick={() => load("tail")}>Lay tail first</Action>
      </div>
    </section>
  );
}

function Pieces({ station, bench }: Props) {
  const { state, pieces, good } = bench.sheet;
  const lost = bench.pieces.filter((piece) => piece.state === "spoiled" && piece.row).map((piece) => piece.row);
  return (
    <Section title="Pieces">
      <Row label="On this sheet">{pieces}</Row>
      {bench.pieces.some((piece) => piece.row) && <CodesSeen id={bench.sheet.id} />}
      {lost.length > 0 && <Row label={lost.length === 1 ? "Spoiled: row" : "Spoiled: rows"}>{lost.join(", ")}</Row>}
      {state === "cut" ? (
        <>
          <p className="my-1.5 text-[12px] text-slate">Click a piece that is spoiled, or Shift and drag a box over several.</p>
          <NumberRow
            label="Good"
            kind="plain"
            decimals={0}
            step={1}
            least={0}
            most={pieces}
            value={good}
            why="What is not good is spoiled and shows on the Floor."
            onChange={(count) => station.count.mutate(Math.round(count))}
          />
        </>
      ) : (
        <Row label="To cut">{bench.pieces.length ? bench.pieces.filter((piece) => piece.state !== "cut").length : pieces}</Row>
      )}
    </Section>
  );
}
