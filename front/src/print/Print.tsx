import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Navigate, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { runsQuery } from "../api/keys";
import { Button, buttonLook, Key, Way } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Empty } from "../ui/Empty";
import { Gone } from "../ui/Gone";
import { useKeys } from "../ui/keys";
import { Readings } from "../ui/Readings";
import { RunStrip } from "../ui/RunStrip";
import { figure } from "../ui/units";
import { Working } from "../ui/Working";
import { PlateView } from "./PlateView";
import { PrintReadings } from "./PrintReadings";
import { type Seen, type Station, useStation } from "./useStation";

export default function Print() {
  const { id } = useParams();
  const { data: runs } = useQuery(runsQuery);
  if (!runs) return <main className="flex-1" />;
  if (!id) {
    const first = runs[0];
    if (first) return <Navigate to={`/print/${first.id}`} replace />;
    return (
      <Empty label="Print" title="There is no run yet" to="/run?new=1" action="Make a run">
        A run is what is printed in one go: designs and their counts, laid on one stock.
      </Empty>
    );
  }
  return <OneRun key={id} id={Number(id)} runs={runs} />;
}

function OneRun({ id, runs }: { id: number; runs: Schemas["RunListed"][] }) {
  const station = useStation(id);
  const { shown, error } = station;
  // Enter sends only while that is the main action: it never prints once more what waits for its next step
  useKeys({
    Enter: () => station.next === null && void station.sendFirst(),
    h: () => void station.holdPlate(),
    l: () => station.setOver(!station.over),
    v: station.nextSide,
    s: () => station.proofed && station.nextSeen(),
    c: station.turnSight,
  });
  if (error) return <Gone error={error} />;
  if (!shown) return <main className="flex-1" />;
  const open: Station = { ...station, shown };
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Print">
        <Head station={open} />
        <Frames station={open} />
        <Plate station={open} />
        <RunStrip runs={runs} station="print" id={id} />
      </main>
      <Readings label="Readings">
        <PrintReadings station={open} />
      </Readings>
    </>
  );
}

function Head({ station: { shown, plate, side, setSide, over, setOver } }: { station: Station }) {
  const order = plate?.order ?? [];
  const named = order.length === 1 ? "colour plate" : `${order.length} plates`;
  const plates = order.length > 1 && (
    <div className="shrink-0 [&_button:first-letter]:uppercase">
      <Choice looks label="Plate" value={side} choices={order.map((name) => [name, name])} onChange={setSide} />
    </div>
  );
  // more than fit beside the title have a row of their own
  const apart = order.length > 3;
  return (
    <div className="mb-2 flex flex-wrap items-start justify-between gap-x-4 gap-y-2">
      <div className="min-w-0 flex-1">
        <h1 className="truncate">{shown.run.name}</h1>
        <p className="text-[12px] text-slate">
          {shown.stock_name} · {shown.printer}
          {plate ? ` · ${named}, ${figure(plate.bytes / 1000, 0)} kB` : ""}
          {plate?.bed ? ` · on bed ${plate.bed}` : ""}
        </p>
      </div>
      {!apart && plates}
      {plate && (
        <div className="ml-auto flex shrink-0 gap-2">
          <Button looks hint="L" aria-pressed={over} onClick={() => setOver(!over)}>
            Show cut lines
          </Button>
          <a href={`/api/plates/${plate.id}/pdf?plate=${side}`} download className={`${buttonLook} h-9 px-3.5`}>
            Save the PDF
          </a>
          {side === "braille" && (
            <a href={`/api/plates/${plate.id}/heights.png`} download className={`${buttonLook} h-9 px-3.5`}>
              Save its heights
            </a>
          )}
        </div>
      )}
      {apart && <div className="w-full">{plates}</div>}
    </div>
  );
}

/** The frames of a run that has several, each with whether it is printed. */
function Frames({ station: { shown, frame, setFrame } }: { station: Station }) {
  if (shown.plates.length < 2) return null;
  const printed = (code: string) =>
    shown.sheets.some((sheet) => sheet.name.startsWith(`${code}-`) && sheet.state !== "failed" && sheet.state !== "held");
  return (
    <div className="mb-2 overflow-x-auto">
      <Choice
        looks
        label="Frame"
        value={String(frame)}
        onChange={(next) => setFrame(Number(next))}
        choices={shown.plates.map((one, number) => [
          String(number),
          <span key={one.id}>
            Frame {one.frame} <span className="font-code text-[12px]">{one.code}</span>
            {printed(one.code) ? " ✓" : ""}
          </span>,
        ])}
      />
    </div>
  );
}

const SEEN: [Seen, string][] = [
  ["plate", "As sent"],
  ["stock", "On this stock"],
  ["reach", "Out of reach"],
];

const PROOF = {
  stock: (profile: string | null) => `As the profile ${profile ?? ""} has it, under its own white. Press a place for its colours.`,
  reach: () => "Striped: the inks do not come near the colour of the art. Press a place to see by how much.",
};

/** How the colours are looked at; the key goes from one to the next. */
function SeenAs({ station: { seen, setSeen } }: { station: Station }) {
  return (
    <div className="flex shrink-0 items-center gap-2">
      <Choice looks label="Colours seen" value={seen} choices={SEEN} onChange={setSeen} />
      <Key>S</Key>
    </div>
  );
}

/** The plate as it will be printed, and how exactly the screen shows it. */
function Plate({ station }: { station: Station }) {
  const { shown, plate, over, plating, proofed, seen } = station;
  const [dpi, setDpi] = useState<number | null>(null);
  const [drawn, setDrawn] = useState<Seen>("plate");
  const sharpness = dpi === null ? "Coarse on screen only; zoom in for the real pixels." : "In the real pixels of the print.";
  const lines = station.faint
    ? "Only cut: what is printed already is drawn faintly."
    : `Finish lines are not in it${over ? ": they are drawn over it here" : ""}.`;
  return (
    <>
      <div className="relative min-h-0 flex-1 overflow-hidden rounded-[4px] border border-rule bg-table">
        {plate ? (
          <PlateView key={plate.id} station={station} plate={plate} setDpi={setDpi} setDrawn={setDrawn} />
        ) : (
          <div className="flex h-full items-center justify-center text-center">
            {plating.progress ? (
              <div className="w-[320px]">
                <Working progress={plating.progress} cancel={plating.cancel} />
              </div>
            ) : plating.problem ? (
              <p role="alert" className="max-w-[460px]">
                <span className="font-semibold text-stop">! {plating.problem.what}</span> {plating.problem.do}
              </p>
            ) : (
              <p>
                {shown.trouble ?? "This run is not nested as it is now."} <Way to={`/run/${shown.run.id}`}>Open it in Run</Way>
              </p>
            )}
          </div>
        )}
      </div>
      <div className="mt-1.5 flex min-h-9 flex-wrap items-center justify-between gap-x-4 gap-y-1">
        <p className="text-[12px] text-slate" role="status">
          {!plate
            ? "\u00a0"
            : drawn !== seen
              ? "Separating the plate into its inks"
              : seen === "plate"
                ? `${sharpness} ${lines}`
                : PROOF[seen](plate.profile)}
        </p>
        {proofed && <SeenAs station={station} />}
      </div>
    </>
  );
}
