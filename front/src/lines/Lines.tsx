import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useEffect, useRef, useState } from "react";
import { Link, Navigate, useNavigate, useParams } from "react-router";
import { toast } from "sonner";
import { api, Problem, type Schemas, told } from "../api/client";
import { useTask } from "../api/tasks";
import { useKeys } from "../ui/keys";
import { Action, Big, ChoiceRow, Key, NumberRow, Readings, Row, sayProblem, Section, Working } from "../ui/Readings";
import { figure, length, useUnit } from "../ui/units";
import { ArtView, type View } from "./ArtView";
import { LineSample } from "./LinePaths";

type Design = Schemas["DesignShown"];
const VIEWS: [View, string][] = [
  ["art", "Art"],
  ["lines", "Lines"],
  ["print", "Print"],
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

/** Art dropped anywhere on the station, or chosen with the button. */
function useTakeIn() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [over, setOver] = useState(false);
  const [share, setShare] = useState<number | null>(null);
  const send = (file: File) => {
    const form = new FormData();
    form.append("file", file);
    const request = new XMLHttpRequest();
    request.upload.onprogress = (event) => setShare(event.lengthComputable ? event.loaded / event.total : 0);
    request.onload = () => {
      setShare(null);
      const body = JSON.parse(request.responseText) as { id?: number; title?: string; do?: string };
      if (request.status !== 200 || body.id === undefined) {
        toast.error(body.title ?? "The file was not taken in.", { description: body.do });
        return;
      }
      void queries.invalidateQueries({ queryKey: ["designs"] }).then(() => navigate(`/lines/${body.id}`));
    };
    request.onerror = () => {
      setShare(null);
      toast.error("Etiquette is not answering. Check that it is running, then drop the file again.");
    };
    request.open("POST", "/api/designs");
    setShare(0);
    request.send(form);
  };
  const target = {
    onDragOver: (event: DragEvent) => {
      event.preventDefault();
      setOver(true);
    },
    onDragLeave: () => setOver(false),
    onDrop: (event: DragEvent) => {
      event.preventDefault();
      setOver(false);
      const file = event.dataTransfer.files[0];
      if (file) send(file);
    },
  };
  return { over, share, send, target };
}

function TakeInButton({ send, share }: { send: (file: File) => void; share: number | null }) {
  const field = useRef<HTMLInputElement>(null);
  return (
    <>
      <input ref={field} type="file" accept=".png,.jpg,.jpeg,.tif,.tiff" aria-label="Art file" className="hidden" onChange={(event) => event.target.files?.[0] && send(event.target.files[0])} />
      <button type="button" onClick={() => field.current?.click()} disabled={share !== null} className="h-9 rounded-[6px] border border-rule bg-white px-3.5 font-semibold hover:border-slate">
        {share === null ? "Take in art" : share < 1 ? `Sending ${Math.round(share * 100)} %` : "Reading the art"}
      </button>
    </>
  );
}

function TakeIn() {
  const { over, share, send, target } = useTakeIn();
  return (
    <main className="flex flex-1 items-center justify-center" {...target}>
      <div className={`rounded-[8px] border bg-paper p-10 text-center ${over ? "border-pine" : "border-rule"}`}>
        <h1 className="mb-2">Drop a picture here</h1>
        <p className="mb-4 text-slate">PNG, JPEG or TIFF. Etiquette finds where the knife should go.</p>
        <TakeInButton send={send} share={share} />
      </div>
    </main>
  );
}

function OneDesign({ id, designs }: { id: number; designs: Schemas["DesignListed"][] }) {
  const queries = useQueryClient();
  const unit = useUnit((state) => state.unit);
  const [view, setView] = useState<View>("lines");
  const [opener, setOpener] = useState(0);
  const [picking, setPicking] = useState(false);
  const { over, share, send, target } = useTakeIn();
  const key = ["design", id];
  const { data: design, error } = useQuery({ queryKey: key, queryFn: () => told(api.GET("/api/designs/{design_id}", { params: { path: { design_id: id } } })) });
  const keep = (fresh: Design) => {
    queries.setQueryData(key, fresh);
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
      return told(api.POST("/api/designs/{design_id}/edits", { ...path, body: { revision, words, changes } }));
    },
    scope: { id: `design ${id}` },
    onSuccess: keep,
    onError: failed,
  });
  const step = useMutation({
    mutationFn: (way: "undo" | "redo") =>
      told(api.POST("/api/designs/{design_id}/{way}", { params: { path: { design_id: id, way } }, body: { revision: queries.getQueryData<Design>(key)?.revision ?? 0 } })),
    scope: { id: `design ${id}` },
    onSuccess: keep,
    onError: failed,
  });
  const task = useTask(`lines ${id}`, refresh);
  const find = () => void task.start("Finding the edge", () => told(api.PUT("/api/designs/{design_id}/lines", path)));
  const asked = useRef("");
  const finder = useRef(find);
  useEffect(() => {
    finder.current = find;
  });
  // a design with a size and no line gets one without being asked; the same state is never asked for twice
  useEffect(() => {
    if (!design || design.lines !== null || design.document.width_mm === null) return;
    const state = `${design.id} ${design.revision}`;
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
  const slider = (name: "offset_mm" | "merge_mm" | "corner_mm" | "smooth_mm" | "distance") => ({ onLive: (value: number) => live.show({ [name]: value }) });
  const nextView = () => setView(VIEWS[(VIEWS.findIndex(([name]) => name === view) + 1) % VIEWS.length]?.[0] ?? "lines");
  const ready = () => design?.lines && change(design.document.ready ? "not ready" : "ready for a run", { ready: !design.document.ready });
  useKeys({ e: find, v: nextView, o: () => setOpener(opener + 1), Enter: () => void ready(), "ctrl+z": () => step.mutate("undo"), "ctrl+shift+z": () => step.mutate("redo") });

  if (error) return <main className="flex-1 p-6">{error.message} <Link to="/floor" className="font-semibold text-pine underline">Back to the Floor</Link></main>;
  if (!design) return <main className="flex-1" />;
  const document = design.document;
  const lines = design.lines ?? last;
  const size = document.width_mm === null || design.height_mm === null ? null : `${length(document.width_mm, unit)} × ${length(design.height_mm, unit)}`;
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Lines" {...target}>
        <div className="mb-2 flex items-start justify-between">
          <div>
            <h1>{document.name}</h1>
            <p className="text-[12px] text-slate">
              {design.customer} · picture, {figure(design.width_px, 0)} × {figure(design.height_px, 0)} px{design.dpi ? `, ${figure(design.dpi, 0)} dpi at this size` : ""}
            </p>
          </div>
          <div className="flex items-center gap-2">
            <StepButtons undo={design.undo} redo={design.redo} step={(way) => step.mutate(way)} />
            <TakeInButton send={send} share={share} />
          </div>
        </div>
        <div className={`relative min-h-0 flex-1 overflow-hidden rounded-[4px] border bg-white ${over ? "border-2 border-pine" : "border-rule"}`}>
          <ArtView design={design} lines={live.lines ?? lines} view={view} stale={live.lines === null && design.lines === null} picked={picking ? pick : undefined} />
          {over && <div className="absolute inset-0 flex items-center justify-center bg-white/80 text-[18px] font-semibold">Drop it: a new design</div>}
        </div>
        <div className="mt-3.5 flex gap-2.5 overflow-x-auto">
          {VIEWS.map(([name, words]) => (
            <button
              type="button"
              key={name}
              aria-pressed={view === name}
              onClick={() => setView(name)}
              className={`h-[92px] w-[112px] shrink-0 rounded-[7px] border bg-paper px-2 pt-1.5 text-left ${view === name ? "border-2 border-pine" : "border-rule"}`}
            >
              <span className="flex h-[56px] items-center justify-center">
                <img src={`/api/designs/${design.id}/thumb`} alt="" className={`max-h-full max-w-full object-contain ${name === "lines" ? "opacity-40" : ""}`} />
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
                  <img src={`/api/designs/${other.id}/thumb`} alt="" className="max-h-full max-w-full object-contain" />
                </span>
                <span className="block truncate text-[12px]">{other.name}</span>
              </Link>
            ))}
        </div>
      </main>
      <Readings label="Readings">
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
          {design.summary ? (
            <>
              <Row label={<><LineSample kind={document.kind} />{document.kind === "kiss" ? "Kiss" : "Through"}{design.summary.lines > 1 ? ` × ${design.summary.lines}` : ""}</>}>
                {length(design.summary.length_mm, unit, 0)} {unit} · {design.summary.nodes} nodes
              </Row>
              <Row label="Smallest radius" tone={design.summary.smallest_radius_mm < 0.3 ? "text-check-text" : ""}>
                {design.summary.smallest_radius_mm === 0 ? "sharp corner" : `${length(design.summary.smallest_radius_mm, unit, 2)} ${unit}`}
              </Row>
              <Row label="Off the edge, mean · most">{figure(design.summary.mean_deviation_mm, 3)} · {figure(design.summary.max_deviation_mm, 3)} mm</Row>
              {design.summary.warnings.map((warning) => (
                <p key={warning} className="mt-1.5 text-check-text">{warning}</p>
              ))}
            </>
          ) : (
            <p className="text-slate">{document.width_mm === null ? "A line needs a size." : "Finding the edge."}</p>
          )}
        </Section>
        <Section title="Art">
          <NumberRow label="Width" startOpen={document.width_mm === null} value={document.width_mm} least={0.5} why="The real width of the art; the height follows." onChange={(value) => change("width", { width_mm: value })} />
          <NumberRow label="Pieces due" kind="plain" decimals={0} step={1} least={1} value={document.due_count} why="How many good pieces the customer gets." onChange={(value) => change("pieces due", { due_count: Math.round(value) })} />
          <ChoiceRow label="Turning" value={document.turning} choices={[["free", "free"], ["quarter", "quarter turns"], ["half", "half turns"], ["none", "none"]]} why="How this piece may be turned on the roll: none keeps its grain." onChange={(value) => change("turning", { turning: value })} />
        </Section>
        <Section title={document.kind === "kiss" ? "Kiss line" : "Through line"}>
          <ChoiceRow label="Kind" value={document.kind} choices={[["kiss", "kiss"], ["through", "through"]]} why="Kiss leaves the liner whole; through cuts it too." onChange={(value) => change("kind of line", { kind: value })} />
          <ChoiceRow label="Follows" value={document.follow} choices={[["edge", "edge of the art"], ["hull", "hull round it"], ["box", "box round it"], ["ellipse", "ellipse round it"]]} why="The line follows the art itself, or a shape round all of it." onChange={(value) => change("what the line follows", { follow: value })} />
          <GroundRow design={design} change={change} picking={picking} pick={() => setPicking(!picking)} />
          <NumberRow label="Ground reaches to" kind="plain" suffix="ΔE" slide={[0, 50]} {...slider("distance")} value={document.distance} step={1} least={0} most={100} why="Colours nearer to the ground than this belong to it." onChange={(value) => change("ground distance", { distance: value })} />
          <NumberRow label="Offset from the art" opener={opener} signed slide={[-5, 10]} {...slider("offset_mm")} value={document.offset_mm} step={0.5} why="How far the line lies outside the art; a minus puts it inside." onChange={(value) => change("offset", { offset_mm: value })} />
          <NumberRow label="Join pieces nearer than" slide={[0, 20]} {...slider("merge_mm")} value={document.merge_mm} least={0} why="Islands nearer than this become one sticker." onChange={(value) => change("join", { merge_mm: value })} />
          <NumberRow label="Leave out specks under" kind="plain" suffix="mm²" value={document.min_area_mm2} step={1} least={0} why="Anything smaller is dirt, not art." onChange={(value) => change("specks", { min_area_mm2: value })} />
          <ChoiceRow label="Holes" value={document.holes} choices={[["fill", "filled"], ["keep", "kept"]]} why="Kept holes are cut too and have to be weeded." onChange={(value) => change("holes", { holes: value })} />
          <NumberRow label="Smooth away" slide={[0, 5]} {...slider("smooth_mm")} value={document.smooth_mm} least={0} step={0.1} why="Notches and spurs narrower than twice this are taken out before the line is moved." onChange={(value) => change("smoothing", { smooth_mm: value })} />
          <ChoiceRow label="Joins" value={document.join} choices={[["round", "round"], ["mitre", "mitred"]]} why="How an offset line goes round a corner of the art: in an arc, or to a point." onChange={(value) => change("joins", { join: value })} />
          <NumberRow label="Corners" slide={[0, 10]} {...slider("corner_mm")} value={document.corner_mm} least={0} step={0.1} why="Corners are rounded to this radius, so that the knife can turn." onChange={(value) => change("corners", { corner_mm: value })} />
          <NumberRow label="Follows the edge within" value={document.tolerance_mm} decimals={2} step={0.01} least={0.005} why="Smaller follows more closely and needs more nodes." onChange={(value) => change("tolerance", { tolerance_mm: value })} />
        </Section>
      </Readings>
    </>
  );
}

function GroundRow({ design, change, picking, pick }: { design: Design; change: (words: string, changes: Partial<Design["document"]>) => void; picking: boolean; pick: () => void }) {
  const { ground } = design.document;
  const found = design.summary?.ground;
  const own: [string, string][] = ground.startsWith("#") ? [[ground, ground.split(",").join(", ")]] : [];
  return (
    <ChoiceRow
      label="Ground"
      value={ground}
      choices={[["auto", `told by itself${found && ground === "auto" ? `: ${found}` : ""}`], ["alpha", "transparency"], ...own]}
      why="What counts as background when the edge is looked for. Several colours can be picked, one after the other."
      onChange={(value) => change("ground", { ground: value })}
    >
      <button type="button" aria-pressed={picking} onClick={pick} className="mt-1.5 min-h-9 rounded-[5px] border border-rule bg-white px-2.5 aria-pressed:border-pine aria-pressed:bg-pine-wash aria-pressed:font-semibold">
        {picking ? "Click the ground in the art" : own.length ? "Pick one more colour" : "Pick it in the art"}
      </button>
    </ChoiceRow>
  );
}

/** Lines on the reduced picture while a control moves: one question under way at a time, the newest wish next. */
function useLiveLines(id: number) {
  const [lines, setLines] = useState<Design["lines"]>(null);
  const wish = useRef<Partial<Design["document"]> | null>(null);
  const busy = useRef(false);
  const queries = useQueryClient();
  useEffect(
    () =>
      // the exact lines have come: they take the place of the quick ones
      queries.getQueryCache().subscribe((event) => {
        if (event.type === "updated" && event.query.queryKey[0] === "design" && event.query.queryKey[1] === id && (event.query.state.data as Design | undefined)?.lines) setLines(null);
      }),
    [queries, id],
  );
  const ask = async () => {
    if (busy.current) return;
    busy.current = true;
    while (wish.current) {
      const changes = wish.current;
      wish.current = null;
      try {
        setLines((await told(api.POST("/api/designs/{design_id}/lines/preview", { params: { path: { design_id: id } }, body: { changes } }))).lines);
      } catch {
        setLines(null); // nothing is left of the line there: the exact one will say why
      }
    }
    busy.current = false;
  };
  return {
    lines,
    show: (changes: Partial<Design["document"]>) => {
      wish.current = changes;
      void ask();
    },
  };
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
