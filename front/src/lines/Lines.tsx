import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, Navigate, useParams } from "react-router";
import { api, Problem, type Schemas, shown, told } from "../api/client";
import { useTask } from "../api/tasks";
import { useKeys } from "../ui/keys";
import { Action, Big, ChoiceRow, Key, NumberRow, Readings, Row, sayProblem, Section, Working } from "../ui/Readings";
import { figure, length, useUnit } from "../ui/units";
import { ArtView, type View } from "./ArtView";
import { KIND_WORDS, KINDS, kindsOf, originOf } from "./kinds";
import { LineSample } from "./LinePaths";
import { useLiveLines } from "./live";
import { Arranging, Plates } from "./Plates";
import { CaughtLines, GroundRow, MoreLine, movedBy, OneLine, ToLookAt, withEdit } from "./settings";
import { TakeIn, TakeInButton, useTakeIn } from "./takeIn";
import { Versions } from "./Versions";

type Design = Schemas["DesignShown"];
const VIEWS: [View, string][] = [
  ["art", "Art"],
  ["lines", "Lines"],
  ["bleed", "Bleed"],
  ["print", "Print"],
  ["white", "White"],
  ["clear", "Clear"],
];

export default function Lines() {
  const { id } = useParams();
  const { data: designs } = useQuery({ queryKey: ["designs"], queryFn: () => told(api.GET("/api/designs")) });
  if (!designs) return <main className="flex-1" />;
  if (!id) {
    const first = designs.find((design) => !design.ready) ?? designs[0];
    return first ? <Navigate to={`/lines/${first.id}`} replace /> : <TakeIn />;
  }
  return <OneDesign key={id} id={Number(id)} designs={designs} />;
}

function OneDesign({ id, designs }: { id: number; designs: Schemas["DesignListed"][] }) {
  const queries = useQueryClient();
  const unit = useUnit((state) => state.unit);
  const [view, setView] = useState<View>("lines");
  const [opener, setOpener] = useState(0);
  const [framing, setFraming] = useState<"area" | "crop" | null>(null);
  const [chosen, choose] = useState<number | null>(null);
  const [looked, setLooked] = useState<number | null>(null);
  const [picking, setPicking] = useState(false);
  const [history, setHistory] = useState(false);
  const { over, share, send, target } = useTakeIn(id);
  const key = ["design", id];
  const { data: design, error } = useQuery({ queryKey: key, queryFn: () => shown<"DesignShown">(api.GET("/api/designs/{design_id}", { params: { path: { design_id: id } } })) });
  const keep = (fresh: Design) => {
    const asked = queries.isFetching({ queryKey: key }) > 0;
    void queries.cancelQueries({ queryKey: key }); // what was asked before the edit must not come back over it
    queries.setQueryData(key, fresh);
    if (asked) void queries.invalidateQueries({ queryKey: key });
    void queries.invalidateQueries({ queryKey: ["designs"] });
    void queries.invalidateQueries({ queryKey: ["floor"] });
  };
  const refresh = () => void queries.invalidateQueries({ queryKey: key });
  const failed = (problem: unknown) => {
    sayProblem(problem);
    if (problem instanceof Problem && problem.status === 409) refresh();
  };
  const path = { params: { path: { design_id: id } } };
  const edit = useMutation({
    mutationFn: ({ words, changes }: { words: string; changes: Partial<Design["document"]> }) => {
      // the revision at the moment of sending: quick edits in a row wait for each other below
      const revision = queries.getQueryData<Design>(key)?.revision ?? 0;
      return shown<"DesignShown">(api.POST("/api/designs/{design_id}/edits", { ...path, body: { revision, words, changes } }));
    },
    scope: { id: `design ${id}` },
    onSuccess: keep,
    onError: failed,
  });
  const step = useMutation({
    mutationFn: (way: "undo" | "redo") =>
      shown<"DesignShown">(api.POST("/api/designs/{design_id}/{way}", { params: { path: { design_id: id, way } }, body: { revision: queries.getQueryData<Design>(key)?.revision ?? 0 } })),
    scope: { id: `design ${id}` },
    onSuccess: keep,
    onError: failed,
  });
  const arrange = useMutation({
    mutationFn: (way: Schemas["ArrangeStep"]) =>
      shown<"DesignShown">(api.POST("/api/designs/{design_id}/arrangement", { ...path, body: { revision: queries.getQueryData<Design>(key)?.revision ?? 0, step: way } })),
    scope: { id: `design ${id}` },
    onSuccess: keep,
    onError: failed,
  });
  const mean = useMutation({ mutationFn: (body: Schemas["MeaningAsked"]) => shown<"DesignShown">(api.PUT("/api/designs/{design_id}/meaning", { ...path, body })), onSuccess: keep, onError: failed });
  const [refused, setRefused] = useState("");
  const task = useTask("lines", `lines ${id}`, () => { setRefused(""); refresh(); }, () => setRefused(design ? `${design.revision}` : ""));
  const find = () => void task.start("Finding the edge", () => told(api.PUT("/api/designs/{design_id}/lines", path)));
  const asked = useRef("");
  const finder = useRef(find);
  useEffect(() => {
    finder.current = find;
  });
  // a design with a size and no line gets one without being asked; the same state is never asked for twice
  useEffect(() => {
    if (!design || design.lines !== null || design.document.width_mm === null) return;
    const state = `${design.id} ${design.revision} ${JSON.stringify(design.meanings)}`;
    if (asked.current === state) return;
    asked.current = state;
    finder.current();
  }, [design]);
  const [last, setLast] = useState<Design["lines"]>(null);
  if (design?.lines && design.lines !== last) setLast(design.lines);

  const live = useLiveLines(id);
  const change = (words: string, changes: Partial<Design["document"]>) => edit.mutate({ words, changes });
  const pick = (colour: string) => {
    setPicking(false);
    const { ground } = design?.document ?? { ground: "auto" };
    const colours = ground.startsWith("#") ? [...new Set([...ground.split(","), colour])].slice(0, 8) : [colour];
    change("ground", { ground: colours.join(",") });
  };
  const frame = (area: [number, number, number, number]) => {
    setFraming(null);
    if (framing === "area" || !design) return change("area", { area });
    // shares of the art as it is shown; without a size it is shown 100 mm wide
    const wide = design.document.width_mm ?? 100;
    const high = (wide * (design.natural_height_mm ?? design.height_px)) / (design.natural_width_mm ?? design.width_px);
    const [x, y, width, height] = area;
    arrange.mutate({ do: "crop", by: 90, box: [x / wide, y / high, width / wide, height / high] });
  };
  const turn = (by: 90 | 270) => arrange.mutate({ do: "turn", by, box: [0, 0, 1, 1] });
  const move = (dx: number, dy: number) => {
    const line = chosen === null ? undefined : design?.lines?.[chosen];
    if (!design || chosen === null || !line) return;
    const [right, up] = movedBy(design.document.line_edits, chosen);
    const move_mm: [number, number] = [Number((right + dx).toFixed(3)), Number((up + dy).toFixed(3))];
    change("line moved", { line_edits: withEdit(design.document.line_edits, chosen, { kind: line.kind as Design["document"]["kind"], move_mm }) });
  };
  const slider = (name: "offset_mm" | "merge_mm" | "corner_mm" | "smooth_mm" | "distance") => ({ onLive: (value: number) => live.show({ [name]: value }) });
  const addLine = () => design && design.document.more.length < 12 && change("one more line", { more: [...design.document.more, { kind: "through", course: "edge", offset_mm: 3, corner_mm: 0, place_mm: 10 }] });
  const findings = design?.lines ? (design.summary?.findings ?? []) : [];
  const look = (index: number | null) => {
    setView("lines");
    setLooked(index);
  };
  const mend = (one: Schemas["Finding"]) => {
    setLooked(null);
    const words = one.repair?.toLowerCase() ?? "repair";
    const line = one.line ?? null;
    const kind = line === null ? null : ((design?.lines?.[line]?.kind ?? "kiss") as Design["document"]["kind"]);
    if (line === null) change(words, one.changes ?? {});
    else if (design) change(words, { line_edits: withEdit(design.document.line_edits, line, one.act === "out" ? { kind: null } : { kind, close: true }) });
  };
  const nextFinding = () => findings.length > 0 && look(((looked ?? -1) + 1) % findings.length);
  const views = VIEWS.filter(([name]) => (name !== "white" && name !== "clear") || design?.[name]);
  const nextView = () => setView(views[(views.findIndex(([name]) => name === view) + 1) % views.length]?.[0] ?? "lines");
  const ready = () => design?.lines && change(design.document.ready ? "not ready" : "ready for a run", { ready: !design.document.ready });
  useKeys({ e: find, ",": () => turn(90), ".": () => turn(270), f: () => void nextFinding(), l: addLine, v: nextView, o: () => setOpener(opener + 1), Enter: () => void ready(), "ctrl+z": () => step.mutate("undo"), "ctrl+shift+z": () => step.mutate("redo") });

  if (error) return <main className="flex-1 p-6">{error.message} <Link to="/floor" className="font-semibold text-pine underline">Back to the Floor</Link></main>;
  if (!design) return <main className="flex-1" />;
  const document = design.document;
  const summary = design.summary;
  const isPicture = design.form === "picture";
  const proportion = (design.natural_width_mm ?? design.width_px) / (design.natural_height_mm ?? design.height_px);
  const lines = design.lines ?? last;
  const size = document.width_mm === null || design.height_mm === null ? null : `${length(document.width_mm, unit)} × ${length(design.height_mm, unit)}`;
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Lines" {...target}>
        <div className="mb-2 flex items-start justify-between">
          <div>
            <h1>{document.name}</h1>
            <p className="text-[12px] text-slate">
              {design.customer} · {originOf(design, unit)}
            </p>
          </div>
          <div className="flex items-center gap-2">
            <StepButtons undo={design.undo} redo={design.redo} step={(way) => step.mutate(way)} />
            <button type="button" aria-pressed={history} onClick={() => setHistory(!history)} className="h-9 rounded-[6px] border border-rule bg-white px-3 font-semibold hover:border-slate aria-pressed:border-pine aria-pressed:bg-pine-wash">
              Earlier versions
            </button>
            <TakeInButton several={false} send={(files) => send(files, "art")} share={share} words="Replace art" label="Newer version of the art" />
            <TakeInButton send={send} share={share} />
          </div>
        </div>
        <div className={`relative min-h-0 flex-1 overflow-hidden rounded-[4px] border bg-white ${over ? "border-2 border-pine" : "border-rule"}`}>
          <ArtView design={design} lines={live.lines ?? lines} view={view} stale={live.lines === null && design.lines === null} picked={picking ? pick : undefined} finding={view === "lines" && looked !== null ? findings[looked] : undefined} chosen={chosen} choose={choose} move={move} framed={framing ? frame : undefined} />
          {over && <div className="absolute inset-0 flex items-center justify-center bg-white/80 text-[18px] font-semibold">Drop it: a new design</div>}
        </div>
        <div className="mt-3.5 flex gap-2.5 overflow-x-auto">
          {views.map(([name, words]) => (
            <button
              type="button"
              key={name}
              aria-pressed={view === name}
              onClick={() => setView(name)}
              className={`h-[92px] w-[104px] shrink-0 rounded-[7px] border bg-paper px-2 pt-1.5 text-left ${view === name ? "border-2 border-pine" : "border-rule"}`}
            >
              <span className="flex h-[56px] items-center justify-center">
                {(name === "white" || name === "clear") && design[name] && design.height_mm ? (
                  <svg viewBox={`0 0 ${document.width_mm} ${design.height_mm}`} className="h-full w-full" aria-hidden="true">
                    <path d={design[name]} fillRule="evenodd" fill={name === "white" ? "#fff" : "#E8C98C"} stroke="var(--color-slate)" strokeWidth="1" vectorEffect="non-scaling-stroke" />
                  </svg>
                ) : (
                  <img src={name === "art" || !design.lines ? `/api/designs/${design.id}/thumb?art=${design.art_id}` : `/api/designs/${design.id}/print?art=${design.art_id}&state=${design.revision}`} alt="" className={`max-h-full max-w-full object-contain ${name === "lines" ? "opacity-40" : ""}`} />
                )}
              </span>
              <span className="flex justify-between font-semibold">
                {words} {view === name && <Key>V</Key>}
              </span>
            </button>
          ))}
          <span className="mx-1 w-px shrink-0 bg-rule" />
          {designs
            .filter((other) => other.id !== design.id)
            .map((other) => (
              <Link key={other.id} to={`/lines/${other.id}`} className="h-[92px] w-[92px] shrink-0 rounded-[7px] border border-rule bg-paper px-2 pt-1.5 hover:border-slate">
                <span className="flex h-[56px] items-center justify-center">
                  <img src={`/api/designs/${other.id}/thumb?art=${other.art_id}`} alt="" className="max-h-full max-w-full object-contain" />
                </span>
                <span className="block truncate text-[12px]">{other.name}</span>
              </Link>
            ))}
        </div>
      </main>
      <Readings label={history ? "Earlier versions" : "Readings"}>
        {history ? <Versions design={design} keep={keep} close={() => setHistory(false)} /> : <>
        <Big label="width × height" value={size ?? "size not known"} unit={size ? unit : undefined} tone={size ? "" : "text-stop"} />
        <div className="mt-2.5 flex flex-col gap-2">
          {document.width_mm === null ? (
            <p className="rounded-[6px] border border-check bg-white px-3 py-2">The file does not say how large it is. Type the width below.</p>
          ) : (
            <Action main hint="Enter" onClick={() => void ready()} disabled={!design.lines}>
              {document.ready ? "Ready for a run ✓" : "Ready for a run"}
            </Action>
          )}
          {task.progress ? (
            <Working progress={task.progress} cancel={task.cancel} />
          ) : (
            <Action hint="E" onClick={find} disabled={document.width_mm === null}>
              Find edge again
            </Action>
          )}
        </div>
        <Section title="Lines">
          {summary ? (
            <>
              {kindsOf(design.lines ?? []).map(({ kind, count, length_mm, nodes }) => (
                <Row key={kind} label={<><LineSample kind={kind} />{KIND_WORDS[kind] ?? kind}{count > 1 ? ` × ${count}` : ""}</>}>
                  {length(length_mm, unit, 0)} {unit} · {figure(nodes, 0)} nodes
                </Row>
              ))}
              <Row label="Smallest radius" tone={summary.report.smallest_radius_mm < 0.3 ? "text-check-text" : ""}>
                {summary.report.smallest_radius_mm === 0 ? "sharp corner" : `${length(summary.report.smallest_radius_mm, unit, 2)} ${unit}`}
              </Row>
              {summary.report.max_deviation_mm > 0 && <Row label="Off the edge, mean · most">{figure(summary.report.mean_deviation_mm, 3)} · {figure(summary.report.max_deviation_mm, 3)} mm</Row>}
              {summary.report.warnings.map((warning) => (
                <p key={warning} className="mt-1.5 text-check-text">{warning}</p>
              ))}
            </>
          ) : (
            <p className="text-slate">{document.width_mm === null ? "A line needs a size." : task.progress ? "Finding the edge." : refused === `${design.revision}` ? "No line was found as it is set now. Change the settings, or choose a rectangle round it." : "No line yet."}</p>
          )}
          <button type="button" onClick={addLine} className="flex min-h-[36px] w-full items-center justify-between font-semibold text-pine hover:underline">
            Add a line <Key>L</Key>
          </button>
        </Section>
        {chosen !== null && design.lines?.[chosen] && (
          <OneLine line={design.lines[chosen]} unit={unit} moved={movedBy(document.line_edits, chosen)} close={() => choose(null)} put={(words, edited) => {
            if (edited.kind === null) choose(null);
            change(words, { line_edits: withEdit(document.line_edits, chosen, edited) });
          }} />
        )}
        {findings.length > 0 && <ToLookAt findings={findings} looked={looked} look={look} repair={mend} />}
        {summary?.caught && <CaughtLines design={design} caught={summary.caught} mean={(word, means) => mean.mutate({ word, means })} />}
        {document.more.map((line, index) => (
          <MoreLine key={index} line={line} put={(changes, words) => change(words, { more: document.more.map((other, at) => (at === index ? { ...other, ...changes } : other)) })} remove={() => change("line taken out", { more: document.more.filter((_, at) => at !== index) })} />
        ))}
        <Section title="Bleed">
          <NumberRow label="Past the line" slide={[0, 5]} value={document.bleed_mm} least={0} why="The colours at the edge of the art are carried outward this far past the line. Nothing is printed over a neighbour: half the gap is the most." onChange={(value) => change("bleed", { bleed_mm: value })} />
          {summary?.bleed && (
            <Row label="Short along" tone={summary.bleed.short_mm > 0 ? "text-check-text" : ""}>
              {summary.bleed.short_mm > 0 ? (
                <button type="button" className="underline" onClick={() => setView("bleed")}>{length(summary.bleed.short_mm, unit, 0)} {unit}</button>
              ) : summary.bleed.stretches.length ? "nowhere" : "border unprinted, none needed"}
            </Row>
          )}
        </Section>
        <Plates design={design} change={change} send={send} flip={() => arrange.mutate({ do: "second surface", by: 90, box: [0, 0, 1, 1] })} />
        <Section title="Art">
          <Arranging design={design} step={(way) => arrange.mutate(way)} cropping={framing === "crop"} crop={() => setFraming(framing === "crop" ? null : "crop")} />
          <NumberRow label="Width" startOpen={document.width_mm === null} value={document.width_mm} least={0.5} why="The real width of the art; the height follows." onChange={(value) => change("width", { width_mm: value })} />
          <NumberRow label="Height" value={design.height_mm} least={0.5} why="The real height of the art; the width follows." onChange={(value) => change("height", { width_mm: Number((value * proportion).toFixed(4)) })} />
          <NumberRow label="Pieces due" kind="plain" decimals={0} step={1} least={1} value={document.due_count} why="How many good pieces the customer gets." onChange={(value) => change("pieces due", { due_count: Math.round(value) })} />
          <ChoiceRow label="Turning" value={document.turning} choices={[["free", "free"], ["quarter", "quarter turns"], ["half", "half turns"], ["none", "none"]]} why="How this piece may be turned on the roll: none keeps its grain." onChange={(value) => change("turning", { turning: value })} />
        </Section>
        <Section title={document.follow === "none" ? "A line round the art" : `${KIND_WORDS[document.kind]} line`}>
          {document.follow !== "none" && <ChoiceRow label="Kind" value={document.kind} choices={KINDS} why="Kiss leaves the liner whole; through cuts it too." onChange={(value) => change("kind of line", { kind: value })} />}
          <ChoiceRow label="Follows" value={document.follow} choices={[["edge", "edge of the art"], ["hull", "hull round it"], ["box", "box round it"], ["ellipse", "ellipse round it"], ["page", isPicture ? "rectangle of the picture" : "rectangle of the page"], ...(isPicture ? [] : [["none", "lines in the file only"] as ["none", string]])]} why="The line follows the art itself, or a shape round all of it." onChange={(value) => change("what the line follows", { follow: value })} />
          {document.follow !== "none" && <>
          {isPicture && <GroundRow design={design} change={change} picking={picking} pick={() => setPicking(!picking)} />}
          {isPicture && <NumberRow label="Ground reaches to" kind="plain" suffix="ΔE" slide={[0, 50]} {...slider("distance")} value={document.distance} step={1} least={0} most={100} why="Colours nearer to the ground than this belong to it." onChange={(value) => change("ground distance", { distance: value })} />}
          {isPicture && (
            <Row label="Looked for in">
              <span className="flex items-center gap-3">
                {document.area && <button type="button" className="font-semibold text-pine hover:underline" onClick={() => change("whole picture", { area: null })}>Whole picture</button>}
                <button type="button" aria-pressed={framing === "area"} className="font-semibold text-pine hover:underline aria-pressed:underline" onClick={() => setFraming(framing === "area" ? null : "area")}>
                  {framing === "area" ? "Drag over the art" : document.area ? "Another part" : "whole picture: choose a part"}
                </button>
              </span>
            </Row>
          )}
          <NumberRow label="Offset from the art" opener={opener} signed slide={[-5, 10]} {...slider("offset_mm")} value={document.offset_mm} step={0.5} why="How far the line lies outside the art; a minus puts it inside." onChange={(value) => change("offset", { offset_mm: value })} />
          <NumberRow label="Join pieces nearer than" slide={[0, 20]} {...slider("merge_mm")} value={document.merge_mm} least={0} why="Islands nearer than this become one sticker." onChange={(value) => change("join", { merge_mm: value })} />
          <NumberRow label="Leave out specks under" kind="plain" suffix="mm²" value={document.min_area_mm2} step={1} least={0} why="Anything smaller is dirt, not art." onChange={(value) => change("specks", { min_area_mm2: value })} />
          <ChoiceRow label="Holes" value={document.holes} choices={[["fill", "filled"], ["keep", "kept"]]} why="Kept holes are cut too and have to be weeded." onChange={(value) => change("holes", { holes: value })} />
          <NumberRow label="Smooth away" slide={[0, 5]} {...slider("smooth_mm")} value={document.smooth_mm} least={0} step={0.1} why="Notches and spurs narrower than twice this are taken out before the line is moved." onChange={(value) => change("smoothing", { smooth_mm: value })} />
          <ChoiceRow label="Joins" value={document.join} choices={[["round", "round"], ["mitre", "mitred"]]} why="How an offset line goes round a corner of the art: in an arc, or to a point." onChange={(value) => change("joins", { join: value })} />
          <NumberRow label="Corners" slide={[0, 10]} {...slider("corner_mm")} value={document.corner_mm} least={0} step={0.1} why="Corners are rounded to this radius, so that the knife can turn." onChange={(value) => change("corners", { corner_mm: value })} />
          <NumberRow label="Follows the edge within" value={document.tolerance_mm} decimals={2} step={0.01} least={0.005} why="Smaller follows more closely and needs more nodes." onChange={(value) => change("tolerance", { tolerance_mm: value })} />
          </>}
        </Section>
        </>}
      </Readings>
    </>
  );
}

export function StepButtons({ undo, redo, step }: { undo: string | null | undefined; redo: string | null | undefined; step: (way: "undo" | "redo") => void }) {
  const look = "h-9 rounded-[6px] border border-rule bg-white px-3 font-semibold hover:border-slate disabled:text-slate/50";
  return (
    <>
      <button type="button" className={look} disabled={!undo} title={undo ? `Undo ${undo} (Ctrl Z)` : "Nothing to undo"} onClick={() => step("undo")}>
        Undo
      </button>
      <button type="button" className={look} disabled={!redo} title={redo ? `Redo ${redo} (Ctrl Shift Z)` : "Nothing to redo"} onClick={() => step("redo")}>
        Redo
      </button>
    </>
  );
}
