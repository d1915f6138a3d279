import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, Navigate, useNavigate, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { designsQuery } from "../api/keys";
import { Button, StepButtons } from "../ui/Button";
import { Gone } from "../ui/Gone";
import { useKeys } from "../ui/keys";
import { Readings } from "../ui/Readings";
import { useUnit } from "../ui/units";
import { ArtView } from "./ArtView";
import { originOf } from "./kinds";
import { LinesReadings } from "./LinesReadings";
import { Strip } from "./Strip";
import { TakeIn, TakeInButton, usePasted, useTakeIn } from "./takeIn";
import { type Station, useStation } from "./useStation";
import { WentOn } from "../ui/WentOn";
import { Versions } from "./Versions";
import { wordLook } from "../ui/look";

type Listed = Schemas["DesignListed"];

export default function Lines() {
  const { id } = useParams();
  const { data: designs } = useQuery(designsQuery);
  if (!designs) return <main className="flex-1" />;
  if (!id) {
    const first = designs.find((design) => !design.ready) ?? designs[0];
    return first ? <Navigate to={`/lines/${first.id}`} replace /> : <TakeIn />;
  }
  return <OneDesign key={id} id={Number(id)} designs={designs} />;
}

function OneDesign({ id, designs }: { id: number; designs: Listed[] }) {
  const station = useStation(id);
  const navigate = useNavigate();
  const [opener, setOpener] = useState(0);
  const [history, setHistory] = useState(false);
  const takingIn = useTakeIn(id);
  usePasted(takingIn.send);
  const { design, error } = station;
  useKeys({
    e: station.find,
    ",": () => station.turn(90),
    ".": () => station.turn(270),
    f: () => void station.lookNext(),
    l: station.addLine,
    v: station.nextView,
    o: () => setOpener(opener + 1),
    r: station.rectangle,
    p: () => station.setPicking(station.picking === "path" ? null : "path"),
    g: () => design && void navigate(`/lines/job/${design.job_id}`),
    Enter: () => void station.ready(),
    "ctrl+z": () => station.step("undo"),
    "ctrl+shift+z": () => station.step("redo"),
  });
  if (error) return <Gone error={error} />;
  if (!design) return <main className="flex-1" />;
  const shown: Station = { ...station, design };
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Lines" {...takingIn.target}>
        <Head station={shown} takingIn={takingIn} history={history} setHistory={setHistory} />
        <Art station={shown} over={takingIn.over} />
        <Strip station={shown} designs={designs} />
      </main>
      <Readings label={history ? "Earlier versions" : "Readings"}>
        {history ? (
          <Versions design={design} keep={station.keep} close={() => setHistory(false)} />
        ) : (
          <LinesReadings station={shown} opener={opener} send={takingIn.send} />
        )}
      </Readings>
    </>
  );
}

type HeadProps = { station: Station; takingIn: ReturnType<typeof useTakeIn>; history: boolean; setHistory: (shown: boolean) => void };

function Head({ station, takingIn: { send, taking }, history, setHistory }: HeadProps) {
  const unit = useUnit((state) => state.unit);
  const { design, step } = station;
  return (
    <div className="mb-2 flex flex-wrap items-start justify-between gap-x-4 gap-y-1.5">
      <div>
        <h1>{design.document.name}</h1>
        <p className="text-[12px] text-slate">
          <Link to={`/floor/job/${design.job_id}`} title={`The job: ${design.job}`} className={wordLook}>
            {design.customer}
          </Link>{" "}
          · {originOf(design, unit)}
        </p>
      </div>
      <div className="flex flex-wrap items-center gap-2">
        <StepButtons undo={design.undo} redo={design.redo} step={step} />
        <Button looks aria-pressed={history} onClick={() => setHistory(!history)}>
          Earlier versions
        </Button>
        <TakeInButton
          replaces
          send={(files) => send(files, "art")}
          taking={taking}
          invites="Replace art"
          label="Newer version of the art"
        />
        <TakeInButton send={send} taking={taking} />
      </div>
    </div>
  );
}

function Art({ station, over }: { station: Station; over: boolean }) {
  const { design, live, lines, view, looked, findings } = station;
  if (design.cleared_at)
    return (
      <div className="flex min-h-0 flex-1 items-center justify-center rounded-[4px] border border-rule bg-white px-12">
        <WentOn what="Its art" at={design.cleared_at} />
      </div>
    );
  return (
    <div
      className={`relative min-h-0 flex-1 overflow-hidden rounded-[4px] border bg-white ${over ? "border-2 border-pine" : "border-rule"}`}
    >
      <ArtView
        design={design}
        lines={live.lines ?? lines}
        view={view}
        proof={station.proof}
        mark={station.mark}
        stale={live.lines === null && design.lines === null}
        picked={station.picksColour ? station.pick : undefined}
        pointed={station.picking === "mark" || station.picking === "path" ? station.point : undefined}
        finding={view === "lines" && looked !== null ? findings[looked] : undefined}
        chosen={station.chosen}
        choose={station.choose}
        move={station.move}
        framed={station.framing ? station.frame : undefined}
      />
      {over && (
        <div className="absolute inset-0 flex items-center justify-center bg-white/80 text-[18px] font-semibold">Drop it: a new design</div>
      )}
    </div>
  );
}
