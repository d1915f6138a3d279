import { useQuery } from "@tanstack/react-query";
import { Link, Navigate, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { runsQuery } from "../api/keys";
import { RollCanvas } from "../roll/RollCanvas";
import { Button, StepButtons } from "../ui/Button";
import { Gone } from "../ui/Gone";
import { useKeys } from "../ui/keys";
import { Readings } from "../ui/Readings";
import { RunStrip } from "../ui/RunStrip";
import { AddDesigns } from "./AddDesigns";
import { BedStage } from "./bed/BedStage";
import { Comparison } from "./Comparison";
import { NewRun } from "./NewRun";
import { RunReadings } from "./RunReadings";
import { type Station, useStation } from "./useStation";

const tileLook =
  "flex h-12 items-center whitespace-nowrap rounded-[7px] border border-rule bg-paper px-3 font-semibold text-pine hover:border-slate";

export default function RunStation() {
  const { id } = useParams();
  const [search] = useSearchParams();
  const { data: runs } = useQuery(runsQuery);
  if (!runs) return <main className="flex-1" />;
  if (!id && (search.has("new") || runs.length === 0)) return <NewRun />;
  if (!id) {
    const first = runs.find((run) => run.state === "planned") ?? runs[0];
    return <Navigate to={`/run/${first?.id}`} replace />;
  }
  return <OneRun key={id} id={Number(id)} runs={runs} />;
}

function OneRun({ id, runs }: { id: number; runs: Schemas["RunListed"][] }) {
  const station = useStation(id);
  const { run, error, withChosen, nudge } = station;
  useKeys({
    ",": () => withChosen({ do: "turn", degrees: 90 }),
    ".": () => withChosen({ do: "turn", degrees: -90 }),
    p: station.pin,
    d: () => withChosen({ do: "double" }),
    Delete: () => withChosen({ do: "take off" }),
    ArrowLeft: nudge(0, -1),
    ArrowRight: nudge(0, 1),
    ArrowUp: nudge(-1, 0),
    ArrowDown: nudge(1, 0),
    f: () => station.fillWith("frame"),
    k: () => void station.setAside(),
    c: () => station.setComparing(!station.comparing),
    b: () => station.setArranging(!station.arranging),
    n: station.nest,
    a: () => station.setAdding(true),
    "ctrl+z": () => station.step("undo"),
    "ctrl+shift+z": () => station.step("redo"),
  });
  if (error) return <Gone error={error} />;
  if (!run) return <main className="flex-1" />;
  const shown: Station = { ...station, run };
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Run">
        <Head station={shown} />
        {station.comparing ? (
          <Comparison run={run} step={(done) => station.layouts.mutate(done)} close={() => station.setComparing(false)} />
        ) : station.arranging && run.bed ? (
          <BedStage run={run} bed={run.bed} chosen={station.blank} choose={station.chooseBlank} put={station.putBlanks} />
        ) : (
          <RollCanvas
            run={run}
            selected={station.selected}
            select={station.select}
            busy={station.nesting.progress !== null}
            move={(keys, right, along) => station.hand.mutate({ do: "move", keys, by_mm: [right, along] })}
          />
        )}
        <RunStrip runs={runs} station="run" id={id} fresh={run.revision}>
          <Link to="/run?new=1" className={tileLook}>
            New run
          </Link>
          <Link to="/run/web" className={tileLook}>
            Label webs
          </Link>
        </RunStrip>
      </main>
      <Readings label="Readings">
        <RunReadings station={shown} />
      </Readings>
    </>
  );
}

/** What the frames of a run are, or why there are several. */
function framesAre({ document, plans }: Station["run"]) {
  if (document.laying === "page") return `pages as they came${document.page_codes ? "" : ", without a code"}`;
  if (document.laying === "bed") return plans.some(({ lies }) => lies) ? "blanks, each with its marks" : "beds";
  return document.sheet_mm === null ? "frames, because the cutter reads no further" : "sheets";
}

function Head({ station }: { station: Station }) {
  const { run, comparing, setComparing, change } = station;
  const frames = run.plans.length;
  const parts =
    frames === 1
      ? run.plans[0]?.codes.length
        ? ` · code ${run.plans[0].code}`
        : " · as the page came, without a code"
      : frames
        ? ` · ${frames} ${framesAre(run)}`
        : "";
  return (
    <div className="flex items-start justify-between gap-4">
      <div className="min-w-0">
        <h1 className="truncate">{run.document.name}</h1>
        <p className="text-[12px] text-slate">
          {run.stock_name} · {run.cutter_name || "only printed"}
          {parts}
        </p>
      </div>
      <div className="flex shrink-0 items-center gap-2">
        {(run.document.kept.length > 0 || comparing) && (
          <Button looks hint="C" aria-pressed={comparing} onClick={() => setComparing(!comparing)}>
            Compare
          </Button>
        )}
        {run.document.laying === "bed" && run.document.bed.places.length > 0 && (
          <Button hint="B" aria-pressed={station.arranging} onClick={() => station.setArranging(!station.arranging)}>
            Bed
          </Button>
        )}
        <StepButtons undo={run.undo} redo={run.redo} step={station.step} />
        <AddDesigns
          open={station.adding}
          setOpen={station.setAdding}
          items={run.document.items}
          add={(items) => change("add designs", { items })}
        />
      </div>
    </div>
  );
}
