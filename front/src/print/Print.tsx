import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ToggleGroup } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { Link, Navigate, useNavigate, useParams } from "react-router";
import { api, type Schemas, shown as shownBy, told } from "../api/client";
import { useTask } from "../api/tasks";
import { useKeys } from "../ui/keys";
import { Action, Big, ChoiceRow, Key, Readings, Row, sayProblem, Section, Working } from "../ui/Readings";
import { RunStrip } from "../ui/RunStrip";
import { figure, length, useUnit } from "../ui/units";
import { type Hands, nextPrint, OnePrint } from "./OnePrint";
import { PlateView } from "./PlateView";

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

function OneRun({ id, runs }: { id: number; runs: Schemas["RunListed"][] }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const unit = useUnit((state) => state.unit);
  const key = ["print", id];
  const { data: shown, error } = useQuery({ queryKey: key, queryFn: () => told(api.GET("/api/print/{run_id}", { params: { path: { run_id: id } } })) });
  const { data: checks } = useQuery({ queryKey: ["print checks", id, shown?.settings.revision, shown?.plates.length], queryFn: () => told(api.GET("/api/print/{run_id}/checks", { params: { path: { run_id: id } } })), enabled: shown !== undefined });
  const refresh = () => {
    void queries.invalidateQueries({ queryKey: ["print checks", id] });
    void queries.invalidateQueries({ queryKey: key });
    void queries.invalidateQueries({ queryKey: ["floor"] });
    void queries.invalidateQueries({ queryKey: ["sheets"] });
  };
  const plating = useTask("plates", `plating ${id}`, refresh);
  const sending = useTask("print", `sending ${id}`, refresh, refresh);
  const filming = useTask("film", `filming ${id}`, refresh, refresh);
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
    if (!plate || !shown || stopped || sending.progress) return;
    const body = { revision: shown.settings.revision, key: crypto.randomUUID() };
    void sending.start("Sending", () => told(api.POST("/api/plates/{plate_id}/send", { params: { path: { plate_id: plate.id } }, body }))).then(refresh);
  };
  const film = (sheetId: number, anyway = false) => void filming.start("Film on", () => told(api.POST("/api/sheets/{sheet_id}/film", { params: { path: { sheet_id: sheetId }, query: { anyway } } })));
  const hold = useMutation({
    mutationFn: (plateId: number) => told(api.POST("/api/plates/{plate_id}/hold", { params: { path: { plate_id: plateId } }, body: { revision: shown?.settings.revision ?? 0, key: crypto.randomUUID() } })),
    onSuccess: refresh,
    onError: (problem) => {
      sayProblem(problem);
      refresh();
    },
  });
  const sendHeld = (sheetId: number) => void sending.start("Sending", () => told(api.POST("/api/sheets/{sheet_id}/send", { params: { path: { sheet_id: sheetId } } }))).then(refresh);
  const settle = useMutation({
    mutationFn: ({ sheetId, how }: { sheetId: number; how: "ask" | "printed" | "spoiled" }) => told(api.POST("/api/sheets/{sheet_id}/settle", { params: { path: { sheet_id: sheetId } }, body: { how } })),
    onSuccess: ({ task_id }) => {
      if (task_id !== null) void sending.start("Asking the printer", () => Promise.resolve({ task_id }));
      refresh();
    },
    onError: sayProblem,
  });
  const letGo = useMutation({
    mutationFn: (sheetId: number) => told(api.DELETE("/api/sheets/{sheet_id}", { params: { path: { sheet_id: sheetId } } })),
    onSuccess: refresh,
    onError: sayProblem,
  });
  const putRollOn = useMutation({
    mutationFn: () => told(api.POST("/api/print/{run_id}/roll", { params: { path: { run_id: id } } })),
    onSuccess: refresh,
    onError: sayProblem,
  });
  const set = useMutation({
    mutationFn: ({ words, changes }: { words: string; changes: Partial<Schemas["RunDocument"]> }) => shownBy<"RunShown">(api.POST("/api/runs/{run_id}/edits", { params: { path: { run_id: id } }, body: { revision: shown?.settings.revision ?? 0, words, changes } })),
    onSuccess: () => {
      asked.current = false;
      void queries.invalidateQueries({ queryKey: ["run", id] });
      refresh();
    },
    onError: (problem) => {
      sayProblem(problem);
      refresh();
    },
  });
  const [over, setOver] = useState(false);
  const [dpi, setDpi] = useState<number | null>(null);
  const stopped = checks?.some((check) => check.state === "stop") ?? true;
  const [chosen, setSide] = useState<Side>("colour");
  const order = plate?.order ?? ["colour" as const];
  const side = order.includes(chosen) ? chosen : "colour";
  const next = shown ? nextPrint(shown.sheets) : null;
  const hands: Hands = {
    send: (sheet) => sendHeld(sheet.id),
    letGo: (sheet) => letGo.mutate(sheet.id),
    settle: (sheet, how) => !settle.isPending && settle.mutate({ sheetId: sheet.id, how }),
    film: (sheet, anyway) => film(sheet.id, anyway),
    toCutter: (sheet) => void navigate(`/bench/${sheet.id}`),
  };
  // Enter sends only while that is the main action: it never prints once more what waits for its next step
  useKeys({ Enter: () => next === null && send(), h: () => plate && !stopped && !hold.isPending && hold.mutate(plate.id), l: () => setOver(!over), v: () => setSide(order[(order.indexOf(side) + 1) % order.length] ?? "colour") });

  if (error) return <main className="flex-1 p-6">{error.message} <Link to="/floor" className="font-semibold text-pine underline">Back to the Floor</Link></main>;
  if (!shown) return <main className="flex-1" />;
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
            <ToggleGroup.Root type="single" value={side} aria-label="Plate" onValueChange={(next) => next && setSide(next as Side)} className="flex shrink-0 gap-1.5">
              {plate.order.map((name) => (
                <ToggleGroup.Item key={name} value={name} className="h-9 rounded-[6px] border border-rule bg-white px-3.5 capitalize data-[state=on]:border-pine data-[state=on]:bg-pine-wash data-[state=on]:font-semibold">
                  {name}
                </ToggleGroup.Item>
              ))}
            </ToggleGroup.Root>
          )}
          {plate && (
            <button type="button" aria-pressed={over} onClick={() => setOver(!over)} className={`ml-auto flex h-9 shrink-0 items-center gap-2 rounded-[6px] border px-3.5 font-semibold ${over ? "border-pine bg-pine-wash text-pine" : "border-rule bg-white hover:border-slate"}`}>
              Cut over it <Key>L</Key>
            </button>
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
            <PlateView key={plate.id} plate={plate} side={side} over={over} setDpi={setDpi} />
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
          {plate ? `This picture is the print file itself at ${figure(dpi ?? plate.preview_dpi, 0)} dots an inch${dpi === null ? ", coarser than the print; zoom in for its real pixels" : ""}. Finish lines are not in it${over ? ": they are drawn over it here" : ""}.` : "\u00a0"}
        </p>
        <RunStrip runs={runs} station="print" id={id} />
      </main>
      <Readings label="Readings">
        <div className="flex justify-between">
          <Big label="length" value={shown.length_mm === null ? "–" : length(shown.length_mm, unit, 0)} unit={unit} />
          <Big label={shown.costs ? "cost" : "stock"} value={shown.costs?.total ?? shown.stock_cost ?? "–"} unit={shown.currency} end />
        </div>
        {next && !sending.progress && (
          <section aria-label="Next" className="mt-3">
            <OnePrint sheet={next} hands={hands} sending={sending.progress} filming={filming.progress} blocked={stopped} main />
          </section>
        )}
        <div className="mt-3 flex flex-col gap-2">
          {sending.progress ? (
            <Working progress={sending.progress} />
          ) : (
            <>
              <Action main={next === null} hint={next === null ? "Enter" : undefined} onClick={send} disabled={!plate || stopped}>
                {shown.settings.way === "cut" ? "Cut it there" : printed.length ? "Print again" : "Send to printer"}{several ? `: frame ${plate?.frame ?? 1}` : ""}
              </Action>
              <Action hint="H" onClick={() => plate && hold.mutate(plate.id)} disabled={!plate || stopped || hold.isPending}>Hold</Action>
            </>
          )}
        </div>
        <Section title="Before it is sent">
          {checks?.map((check) => (
            <div key={check.words} className="flex min-h-[33px] items-start gap-2.5 border-b border-rule py-1.5">
              <span aria-label={LOOKS[check.state].words} className={`w-3 shrink-0 text-center text-[15px] leading-[18px] font-bold ${LOOKS[check.state].tone}`}>
                {LOOKS[check.state].sign}
              </span>
              <span className="min-w-0 flex-1">
                {check.words}
                {check.can_load && (
                  <button type="button" onClick={() => putRollOn.mutate()} disabled={putRollOn.isPending} className="mt-1.5 block h-9 rounded-[5px] border border-rule bg-white px-2.5 font-semibold hover:border-slate">
                    {shown.roll_name} is on it now
                  </button>
                )}
              </span>
            </div>
          ))}
        </Section>
        <Section title="How it is printed">
          <ChoiceRow label="Mode" value={String(shown.settings.print_mode_id ?? "none")} choices={shown.modes.map((mode) => [String(mode.id), mode.name.replace(`${shown.stock_name}, `, "")])} why="Dots, passes and colour profile of this printer on this stock; it sets the time. One for the whole run." onChange={(value) => set.mutate({ words: "print mode", changes: { print_mode_id: Number(value) } })} />
          <ChoiceRow label="White and clear" value={shown.settings.files} choices={[["separate", "files of their own"], ["one", "in the colour file"]]} why="Plates in register, or spots named White and Clear in one file." onChange={(files) => set.mutate({ words: "files of the plates", changes: { files } })} />
          <ChoiceRow label="Sheet turned" value={shown.settings.half_turn ? "yes" : "no"} choices={[["no", "no"], ["yes", "by 180°"]]} why="The tail leaves the printer first, to be read at the exit. The codes tell the Bench." onChange={(value) => set.mutate({ words: "sheet turned", changes: { half_turn: value === "yes" } })} />
          {shown.can_cut && <ChoiceRow label="This machine" value={shown.settings.way} choices={[["print", "prints"], ["both", "prints and cuts"], ["cut", "cuts what it printed last"]]} why="It has a knife of its own. What it cuts itself needs no marks and goes to no other cutter." onChange={(way) => set.mutate({ words: "what the machine does", changes: { way } })} />}
          {shown.can_sever && <ChoiceRow label="Cut off after it" value={shown.settings.sever ? "yes" : "no"} choices={[["no", "no"], ["yes", "yes"]]} why="Whether the printer severs the sheet when it is printed." onChange={(value) => set.mutate({ words: "cut off", changes: { sever: value === "yes" } })} />}
          {plate && (
            <a href={`/api/plates/${plate.id}/companion`} download className="flex min-h-[36px] items-center justify-between border-b border-rule font-semibold text-pine hover:underline">
              Save one file with the finish lines in it
            </a>
          )}
        </Section>
        {shown.costs && (
          <Section title="What it takes">
            <Row label="Time">{figure(shown.costs.minutes, 1)} min</Row>
            <Row label={`Stock, ${figure(shown.costs.area_m2, 2)} m²`}>{shown.costs.stock} {shown.currency}</Row>
            <Row label="Film">{shown.costs.film} {shown.currency}</Row>
            <Row label={<span>Ink <span className="text-[12px] text-slate">{Object.entries(shown.costs.ink_ml).filter(([, ml]) => ml >= 0.05).map(([ink, ml]) => `${ink} ${figure(ml, 1)}`).join(", ")} ml</span></span>}>{shown.costs.ink} {shown.currency}</Row>
            <Row label="Each piece">{shown.costs.each} {shown.currency}</Row>
          </Section>
        )}
        <Section title="Printed sheets">
          {shown.sheets.length === 0 && <p className="text-slate">None yet. The shelf of printed sheets fills when the printer is done.</p>}
          {shown.sheets.filter((sheet) => sheet !== next).map((sheet) => (
            <OnePrint key={sheet.id} sheet={sheet} hands={hands} sending={sending.progress} filming={filming.progress} blocked={stopped} />
          ))}
        </Section>
      </Readings>
    </>
  );
}

const LOOKS = {
  good: { sign: "✓", words: "in order", tone: "text-go" },
  look: { sign: "?", words: "to look at", tone: "text-check-text" },
  stop: { sign: "!", words: "stands in the way", tone: "text-stop" },
} as const;
