import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ToggleGroup } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { Link, Navigate, useNavigate, useParams } from "react-router";
import { api, type Schemas, told } from "../api/client";
import { useTask } from "../api/tasks";
import { useKeys } from "../ui/keys";
import { Action, Big, Readings, Section, Working } from "../ui/Readings";
import { RunStrip } from "../ui/RunStrip";
import { figure, length, metres, useUnit } from "../ui/units";
import { useSize, useZoom } from "../ui/zoom";

type Shown = Schemas["PrintShown"];
type Plate = Shown["plates"][number];
type Side = Plate["order"][number];

export default function Print() {
  const { id } = useParams();
  const { data: runs } = useQuery({ queryKey: ["runs"], queryFn: () => told(api.GET("/api/runs")) });
  if (!runs) return <main className="flex-1" />;
  if (!id) {
    const first = runs[0];
    if (first) return <Navigate to={`/print/${first.id}`} replace />;
    return (
      <main className="flex flex-1 items-center justify-center">
        <p>
          There is no run yet. <Link to="/run?new=1" className="font-semibold text-pine underline">Make one</Link> first.
        </p>
      </main>
    );
  }
  return <OneRun key={id} id={Number(id)} runs={runs} />;
}

const SHEET_WORDS: Record<string, string> = {
  printing: "on the printer",
  printed: "printed, waits for film",
  laminated: "film on, ready for the cutter",
  loaded: "on the cutter",
  read: "marks read",
  cut: "cut",
  failed: "not printed",
};

function OneRun({ id, runs }: { id: number; runs: Schemas["RunListed"][] }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const unit = useUnit((state) => state.unit);
  const key = ["print", id];
  const { data: shown, error } = useQuery({ queryKey: key, queryFn: () => told(api.GET("/api/print/{run_id}", { params: { path: { run_id: id } } })) });
  const refresh = () => {
    void queries.invalidateQueries({ queryKey: key });
    void queries.invalidateQueries({ queryKey: ["floor"] });
    void queries.invalidateQueries({ queryKey: ["sheets"] });
  };
  const plating = useTask(`plating ${id}`, refresh);
  const sending = useTask(`sending ${id}`, refresh);
  const filming = useTask(`filming ${id}`, refresh);
  const asked = useRef(false);
  const makePlate = useRef(() => {});
  useEffect(() => {
    makePlate.current = () => void plating.start("Making the print file", () => told(api.PUT("/api/print/{run_id}/plate", { params: { path: { run_id: id } } })));
  });
  useEffect(() => {
    if (!shown?.nested || shown.plates.length || asked.current) return;
    asked.current = true;
    makePlate.current();
  }, [shown]);
  const [frame, setFrame] = useState(0);
  const plate = shown?.plates[frame] ?? shown?.plates[0] ?? null;
  const several = (shown?.plates.length ?? 0) > 1;
  const send = () => {
    if (plate && !sending.progress) void sending.start("Sending", () => told(api.POST("/api/plates/{plate_id}/send", { params: { path: { plate_id: plate.id } } }))).then(refresh);
  };
  const film = (sheetId: number) => void filming.start("Film on", () => told(api.POST("/api/sheets/{sheet_id}/film", { params: { path: { sheet_id: sheetId } } })));
  const [chosen, setSide] = useState<Side>("colour");
  const order = plate?.order ?? ["colour" as const];
  const side = order.includes(chosen) ? chosen : "colour";
  useKeys({ Enter: send, v: () => setSide(order[(order.indexOf(side) + 1) % order.length] ?? "colour") });

  if (error) return <main className="flex-1 p-6">{error.message} <Link to="/floor" className="font-semibold text-pine underline">Back to the Floor</Link></main>;
  if (!shown) return <main className="flex-1" />;
  const short = plate !== null && plate.length_mm > shown.roll_left_mm;
  const printed = plate === null ? [] : shown.sheets.filter((sheet) => sheet.name.startsWith(`${plate.code}-`));
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Print">
        <div className="mb-2 flex items-start justify-between gap-4">
          <div className="min-w-0">
            <h1 className="truncate">{shown.run.name}</h1>
            <p className="text-[12px] text-slate">
              {shown.stock_name} · {shown.printer}
              {plate ? ` · ${plate.order.length === 1 ? "colour plate" : `plates in this order: ${plate.order.join(", ")}`}, ${figure(plate.bytes / 1000, 0)} kB` : ""}
            </p>
          </div>
          {plate && plate.order.length > 1 && (
            <ToggleGroup.Root type="single" value={side} aria-label="Plate" onValueChange={(next) => next && setSide(next as Side)} className="ml-auto flex shrink-0 gap-1.5">
              {plate.order.map((name) => (
                <ToggleGroup.Item key={name} value={name} className="h-9 rounded-[6px] border border-rule bg-white px-3.5 capitalize data-[state=on]:border-pine data-[state=on]:bg-pine-wash data-[state=on]:font-semibold">
                  {name}
                </ToggleGroup.Item>
              ))}
            </ToggleGroup.Root>
          )}
          {plate && (
            <a href={`/api/plates/${plate.id}/pdf?plate=${side}`} download className="flex h-9 shrink-0 items-center rounded-[6px] border border-rule bg-white px-3.5 font-semibold hover:border-slate">
              Save the PDF
            </a>
          )}
        </div>
        {several && (
          <ToggleGroup.Root type="single" value={String(frame)} aria-label="Frame" onValueChange={(next) => next && setFrame(Number(next))} className="mb-2 flex gap-1.5 overflow-x-auto">
            {shown.plates.map((one, number) => (
              <ToggleGroup.Item key={one.id} value={String(number)} className="h-9 shrink-0 rounded-[6px] border border-rule bg-white px-3 data-[state=on]:border-pine data-[state=on]:bg-pine-wash data-[state=on]:font-semibold">
                Frame {one.frame} <span className="font-code text-[12px]">{one.code}</span>
                {shown.sheets.some((sheet) => sheet.name.startsWith(`${one.code}-`) && sheet.state !== "failed") ? " ✓" : ""}
              </ToggleGroup.Item>
            ))}
          </ToggleGroup.Root>
        )}
        <div className="relative min-h-0 flex-1 overflow-hidden rounded-[4px] border border-rule bg-[#CFD0C8]">
          {plate ? (
            <PlateView plate={plate} side={side} />
          ) : (
            <div className="flex h-full items-center justify-center text-center">
              {plating.progress ? (
                <div className="w-[320px]"><Working progress={plating.progress} cancel={plating.cancel} /></div>
              ) : (
                <p>
                  {shown.trouble ?? "This run is not nested as it is now."} <Link to={`/run/${id}`} className="font-semibold text-pine underline">Open it in Run</Link>
                </p>
              )}
            </div>
          )}
        </div>
        <p className="mt-1.5 text-[12px] text-slate">
          {plate ? `This picture is the print file itself at ${figure(plate.preview_dpi, 0)} dots an inch, coarser than the print. Finish lines are not in it.` : "\u00a0"}
        </p>
        <RunStrip runs={runs} station="print" id={id} />
      </main>
      <Readings label="Readings">
        <div className="flex justify-between">
          <Big label="length" value={shown.length_mm === null ? "–" : length(shown.length_mm, unit, 0)} unit={unit} />
          <Big label="stock" value={shown.stock_cost ?? "–"} unit={shown.currency ?? ""} end />
        </div>
        <div className="mt-3 flex flex-col gap-2">
          {sending.progress ? (
            <Working progress={sending.progress} />
          ) : (
            <Action main hint="Enter" onClick={send} disabled={!plate || short}>
              {printed.length ? "Print again" : "Send to printer"}{several ? `: frame ${plate?.frame ?? 1}` : ""}
            </Action>
          )}
        </div>
        <Section title="Before it is sent">
          <Check good={plate !== null} words={plate ? `${plate.pieces} pieces placed, marks and codes in` : "The print file is not made yet"} />
          <Check good={!short} words={short ? `The roll has ${metres(shown.roll_left_mm)} left: too short` : `${shown.roll_name} has ${metres(shown.roll_left_mm)} left`} />
          <Check good={plate !== null} words={plate ? `${length(plate.width_mm, unit, 0)} × ${length(plate.length_mm, unit, 0)} ${unit}, finish lines left out` : "No page yet"} />
        </Section>
        <Section title="Printed sheets">
          {shown.sheets.length === 0 && <p className="text-slate">None yet. The shelf of printed sheets fills when the printer is done.</p>}
          {shown.sheets.map((sheet) => (
            <div key={sheet.id} className="border-b border-rule py-2">
              <div className="flex justify-between">
                <span className="font-code text-[12px]">{sheet.name}</span>
                <b className={`font-semibold ${sheet.state === "failed" ? "text-stop" : ""}`}>{SHEET_WORDS[sheet.state]}</b>
              </div>
              {sheet.state === "printed" && (
                <div className="mt-2">{filming.progress ? <Working progress={filming.progress} /> : <Action onClick={() => film(sheet.id)}>Put film on</Action>}</div>
              )}
              {sheet.state === "laminated" && (
                <div className="mt-2"><Action onClick={() => void navigate(`/bench/${sheet.id}`)}>Take it to the cutter</Action></div>
              )}
            </div>
          ))}
        </Section>
      </Readings>
    </>
  );
}

function Check({ good, words }: { good: boolean; words: string }) {
  return (
    <div className="flex min-h-[33px] items-center gap-2.5 border-b border-rule">
      <span aria-label={good ? "in order" : "to look at"} className={`text-[15px] leading-none font-bold ${good ? "text-go" : "text-stop"}`}>
        {good ? "✓" : "!"}
      </span>
      <span>{words}</span>
    </div>
  );
}

/** The plate as rendered from the PDF, turned a quarter clockwise so that the leading edge is on the left. */
function PlateView({ plate, side }: { plate: Plate; side: Side }) {
  const frame = useRef<SVGSVGElement>(null);
  const [width, height] = useSize(frame);
  const { transform, fit } = useZoom(frame, 40);
  useKeys({ "0": fit });
  const base = Math.max(0.001, Math.min((width - 60) / plate.length_mm, (height - 50) / plate.width_mm));
  const left = (width - plate.length_mm * base) / 2;
  const top = (height - plate.width_mm * base) / 2;
  return (
    <svg ref={frame} role="img" aria-label={`${side} plate, leading edge left`} className="h-full w-full touch-none">
      <g transform={`${transform.toString()} translate(${left},${top}) scale(${base})`}>
        <rect width={plate.length_mm} height={plate.width_mm} fill={side === "colour" ? "#fff" : "#AEB4B2"} stroke="#C9C8BE" strokeWidth={1 / base} />
        <g transform={`matrix(0,1,-1,0,${plate.length_mm},0)`}>
          <image href={`/api/plates/${plate.id}/preview?plate=${side}`} width={plate.width_mm} height={plate.length_mm} preserveAspectRatio="none" />
        </g>
      </g>
      <text x={Math.max(8, left)} y={Math.max(16, top - 8)} fontSize="11" fill="#5C666B">
        ◂ leaves the printer first
      </text>
    </svg>
  );
}
