import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import { Link, Navigate, useNavigate, useParams, useSearchParams } from "react-router";
import { api, Problem, type Schemas, shown, told } from "../api/client";
import { useTask } from "../api/tasks";
import { StepButtons } from "../lines/Lines";
import { RollCanvas } from "../roll/RollCanvas";
import { frameStarts } from "../roll/scene";
import { useKeys } from "../ui/keys";
import { Action, Big, ChoiceRow, Key, NumberRow, Readings, Row, sayProblem, Section, Working } from "../ui/Readings";
import { RunStrip } from "../ui/RunStrip";
import { figure, length, useUnit } from "../ui/units";
import { Comparison, Offer } from "./Comparison";
import { ItemRow, LayingSection, PlaceSection, StockSection, WeedSection } from "./settings";

type Run = Schemas["RunShown"];
type Document = Run["document"];

export default function RunStation() {
  const { id } = useParams();
  const [search] = useSearchParams();
  const { data: runs } = useQuery({ queryKey: ["runs"], queryFn: () => told(api.GET("/api/runs")) });
  if (!runs) return <main className="flex-1" />;
  if (!id && (search.has("new") || runs.length === 0)) return <NewRun />;
  if (!id) {
    const first = runs.find((run) => run.state === "planned") ?? runs[0];
    return <Navigate to={`/run/${first?.id}`} replace />;
  }
  return <OneRun key={id} id={Number(id)} runs={runs} />;
}

/** Ready designs, all chosen to begin with: one press makes the run. */
function NewRun() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const { data: designs } = useQuery({ queryKey: ["designs"], queryFn: () => told(api.GET("/api/designs")) });
  const { data: floor } = useQuery({ queryKey: ["floor"], queryFn: () => told(api.GET("/api/floor")) });
  const [left, setLeft] = useState<number[]>([]);
  const make = useMutation({
    mutationFn: (items: { design_id: number; count: number }[]) => {
      const names = designs?.filter((design) => items.some((item) => item.design_id === design.id)).map((design) => design.name) ?? [];
      return told(api.POST("/api/runs", { body: { name: names.slice(0, 3).join(" + ").slice(0, 110) || "New run", items } }));
    },
    onSuccess: (run) => void queries.invalidateQueries().then(() => navigate(`/run/${run.id}`)),
    onError: sayProblem,
  });
  if (!designs || !floor) return <main className="flex-1" />;
  const waiting = floor.cards.filter((card) => card.kind === "design" && card.column === "ready").map((card) => card.id);
  const offered = designs.filter((design) => (waiting.length ? waiting.includes(design.id) : design.ready));
  const chosen = offered.filter((design) => !left.includes(design.id));
  return (
    <main className="flex flex-1 items-center justify-center" aria-label="New run">
      <div className="w-[640px] rounded-[8px] border border-rule bg-paper p-6">
        <h1>Make a run</h1>
        {offered.length === 0 ? (
          <p className="mt-2 text-slate">
            No design is ready. <Link to="/lines" className="font-semibold text-pine underline">Open Lines</Link> and mark one ready.
          </p>
        ) : (
          <>
            <p className="mt-1 mb-3 text-slate">Click a design to leave it out. Counts can be changed afterwards.</p>
            <div className="grid grid-cols-4 gap-2.5">
              {offered.map((design) => (
                <DesignTile key={design.id} design={design} on={!left.includes(design.id)} toggle={() => setLeft(left.includes(design.id) ? left.filter((one) => one !== design.id) : [...left, design.id])} />
              ))}
            </div>
            <div className="mt-4">
              <Action main onClick={() => make.mutate(chosen.map((design) => ({ design_id: design.id, count: design.due_count })))} disabled={chosen.length === 0 || make.isPending}>
                Make one run
              </Action>
            </div>
          </>
        )}
      </div>
    </main>
  );
}

function DesignTile({ design, on, toggle }: { design: Schemas["DesignListed"]; on: boolean; toggle: () => void }) {
  return (
    <button type="button" aria-pressed={on} onClick={toggle} className={`rounded-[7px] border bg-white px-2 pt-2 pb-1.5 text-left ${on ? "border-2 border-pine" : "border-rule opacity-60"}`}>
      <span className="flex h-[64px] items-center justify-center">
        <img src={`/api/designs/${design.id}/thumb`} alt="" className="max-h-full max-w-full object-contain" />
      </span>
      <span className="mt-1 block truncate font-semibold">{design.name}</span>
      <span className="text-[12px] text-slate">{design.due_count} pieces</span>
    </button>
  );
}

function OneRun({ id, runs }: { id: number; runs: Schemas["RunListed"][] }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const unit = useUnit((state) => state.unit);
  const [selected, select] = useState<string[]>([]);
  const [adding, setAdding] = useState(false);
  const key = ["run", id];
  const path = { params: { path: { run_id: id } } };
  const { data: run, error } = useQuery({ queryKey: key, queryFn: () => shown<"RunShown">(api.GET("/api/runs/{run_id}", path)) });
  const keep = (fresh: Run) => {
    const asked = queries.isFetching({ queryKey: key }) > 0;
    void queries.cancelQueries({ queryKey: key }); // what was asked before the edit must not come back over it
    queries.setQueryData(key, fresh);
    if (asked) void queries.invalidateQueries({ queryKey: key });
    void queries.invalidateQueries({ queryKey: ["floor"] });
  };
  const refresh = () => {
    void queries.invalidateQueries({ queryKey: key });
    void queries.invalidateQueries({ queryKey: ["floor"] });
  };
  const failed = (problem: unknown) => {
    sayProblem(problem);
    if (problem instanceof Problem && problem.status === 409) refresh();
  };
  const revision = () => queries.getQueryData<Run>(key)?.revision ?? 0;
  /** One after the other, each showing what came of it. */
  const tied = { scope: { id: `run ${id}` }, onSuccess: keep, onError: failed };
  const edit = useMutation({
    mutationFn: ({ words, changes }: { words: string; changes: Partial<Document> }) =>
      shown<"RunShown">(api.POST("/api/runs/{run_id}/edits", { ...path, body: { revision: revision(), words, changes } })),
    ...tied,
  });
  const step = useMutation({
    mutationFn: (way: "undo" | "redo") => shown<"RunShown">(api.POST("/api/runs/{run_id}/{way}", { params: { path: { run_id: id, way } }, body: { revision: revision() } })),
    ...tied,
  });
  const hand = useMutation({
    mutationFn: (done: Partial<Schemas["HandStep"]> & Pick<Schemas["HandStep"], "do" | "keys">) =>
      shown<"RunShown">(api.POST("/api/runs/{run_id}/pieces", { ...path, body: { revision: revision(), step: { by_mm: [0, 0], degrees: 90, to: "left", ...done } } })),
    scope: { id: `run ${id}` },
    onSuccess: (fresh) => {
      keep(fresh);
      const there = new Set(fresh.layout?.placements.map(keyOf));
      select((keys) => keys.filter((key) => there.has(key)));
    },
    onError: failed,
  });
  const fill = useMutation({
    mutationFn: (wish: Schemas["FillWish"]) => shown<"RunShown">(api.POST("/api/runs/{run_id}/fill", { ...path, body: { revision: revision(), wish } })),
    ...tied,
  });
  const layouts = useMutation({
    mutationFn: (done: Schemas["LayoutStep"]) => shown<"RunShown">(api.POST("/api/runs/{run_id}/layouts", { ...path, body: { revision: revision(), step: done } })),
    ...tied,
  });
  const improving = useTask("shorter layout", `improve ${id}`, refresh);
  const task = useTask("layout", `nest ${id}`, (result) => {
    refresh();
    const more = result.improving;
    if (more) void improving.start("Looking for a shorter layout", () => Promise.resolve({ task_id: more }));
  });
  const nest = () => {
    if (!task.progress) void task.start("Nesting", () => told(api.PUT("/api/runs/{run_id}/nest", path)));
  };
  const change = (words: string, changes: Partial<Document>) => edit.mutate({ words, changes });
  /** A change of stock or machines: what no longer fits is nested anew at once. */
  const machine = (words: string, changes: Partial<Document>) =>
    edit.mutate({ words, changes }, { onSuccess: (fresh) => fresh.layout && !fresh.fresh && nest() });
  const withChosen = (done: Omit<Parameters<typeof hand.mutate>[0], "keys">) => selected.length > 0 && hand.mutate({ ...done, keys: selected });
  const allPinned = selected.length > 0 && selected.every((key) => run?.document.pinned?.includes(key));
  const pin = () => void withChosen({ do: allPinned ? "let go" : "pin" });
  /** Designs to fill with: those of the chosen pieces, or all. */
  const fillers = [...new Set(selected.map((key) => Number(key.slice(0, key.lastIndexOf("-")))))];
  const fillWith = (to: Schemas["FillWish"]["to"]) => run && run.plans.length > 0 && fill.mutate({ design_ids: fillers.length ? fillers : run.pieces.map((piece) => piece.design_id), to });
  const [comparing, setComparing] = useState(false);
  const setAside = () => run?.figures && layouts.mutate({ do: "keep", which: null });
  const nudge = (right: number, along: number) => () => void withChosen({ do: "move", by_mm: [right, along] });
  useKeys({
    ",": () => void withChosen({ do: "turn", degrees: 90 }),
    ".": () => void withChosen({ do: "turn", degrees: -90 }),
    p: pin,
    d: () => void withChosen({ do: "double" }),
    Delete: () => void withChosen({ do: "take off" }),
    ArrowLeft: nudge(0, -1),
    ArrowRight: nudge(0, 1),
    ArrowUp: nudge(-1, 0),
    ArrowDown: nudge(1, 0),
    f: () => void fillWith("frame"),
    k: () => void setAside(),
    c: () => setComparing(!comparing),
    n: nest,
    a: () => setAdding(true), "ctrl+z": () => step.mutate("undo"),
    "ctrl+shift+z": () => step.mutate("redo"),
  });

  if (error) return <main className="flex-1 p-6">{error.message} <Link to="/floor" className="font-semibold text-pine underline">Back to the Floor</Link></main>;
  if (!run) return <main className="flex-1" />;
  const figures = run.figures;
  const chosen = run.layout?.placements.filter((placement) => selected.includes(keyOf(placement))) ?? [];
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Run">
        <div className="flex items-start justify-between gap-4">
          <div className="min-w-0">
            <h1 className="truncate">{run.document.name}</h1>
            <p className="text-[12px] text-slate">
              {run.stock_name} · {run.cutter_name}
              {run.plans.length === 1 ? ` · code ${run.plans[0]?.codes[0]?.payload}` : run.plans.length ? ` · ${run.plans.length} ${run.document.sheet_mm === null ? "frames, because the cutter reads no further" : "sheets"}` : ""}
            </p>
          </div>
          <div className="flex shrink-0 items-center gap-2">
            {(run.document.kept.length > 0 || comparing) && (
              <button type="button" aria-pressed={comparing} onClick={() => setComparing(!comparing)} className={`flex h-9 items-center gap-2 rounded-[6px] border bg-white px-3.5 font-semibold ${comparing ? "border-pine bg-pine-wash text-pine" : "border-rule hover:border-slate"}`}>
                Compare <Key>C</Key>
              </button>
            )}
            <StepButtons undo={run.undo} redo={run.redo} step={(way) => step.mutate(way)} />
            <AddDesigns open={adding} setOpen={setAdding} items={run.document.items} add={(items) => change("add designs", { items })} />
          </div>
        </div>
        {comparing ? (
          <Comparison run={run} step={(done) => layouts.mutate(done)} close={() => setComparing(false)} />
        ) : (
          <RollCanvas run={run} selected={selected} select={select} busy={task.progress !== null} move={(keys, right, along) => hand.mutate({ do: "move", keys, by_mm: [right, along] })} />
        )}
        <RunStrip runs={runs} station="run" id={id} fresh={run.revision}>
          <Link to="/run?new=1" className="flex h-12 items-center rounded-[7px] border border-rule bg-paper px-3 font-semibold text-pine hover:border-slate">
            New run
          </Link>
        </RunStrip>
      </main>
      <Readings label="Readings">
        <div className="flex justify-between">
          <Big label="length" value={figures ? length(figures.length_mm, unit, 0) : "–"} unit={unit} />
          <Big label="stock used" value={figures ? figure(figures.used_share * 100, 1) : "–"} unit="%" tone="text-go" end />
        </div>
        <div className="mt-2 mb-3 flex justify-between text-[12px]">
          <span>waste <b className="font-semibold">{figures ? figure(figures.waste_m2, 2) : "–"} m²</b></span>
          <span>per metre <b className="font-semibold">{figures ? figure(figures.per_metre, 0) : "–"}</b></span>
          <span>pieces <b className="font-semibold">{figures ? figures.pieces : "–"}</b></span>
        </div>
        {task.progress ? (
          <Working progress={task.progress} cancel={task.cancel} stopWords="Keep the best so far" />
        ) : (
          <Action main={!figures} hint="N" onClick={nest} disabled={!run.document.items.length}>
            {run.document.laying === "grid" ? "Lay the grid" : run.document.laying === "bed" ? "Lay the bed plan" : run.layout ? "Nest again" : "Nest"}
          </Action>
        )}
        {figures && !task.progress && (
          <div className="mt-2">
            <Action main onClick={() => void navigate(`/print/${id}`)}>
              To the printer
            </Action>
          </div>
        )}
        {figures && !task.progress && <Offer run={run} progress={improving.progress} stop={improving.cancel} step={(done) => layouts.mutate(done)} />}
        {run.trouble && <p role="alert" className="mt-2 rounded-[6px] border border-stop bg-white px-3 py-2 text-stop">{run.trouble}</p>}
        {run.layout && !run.fresh && !task.progress && (
          <p className="mt-2 rounded-[6px] border border-check bg-white px-3 py-2">The run was changed after it was nested. Press N to nest it as it is now.</p>
        )}
        {chosen.length > 0 && (
          <Section title={chosen.length === 1 ? `Piece: ${run.pieces.find((piece) => String(piece.design_id) === chosen[0]?.id)?.name ?? ""}` : `${chosen.length} pieces`}>
            {chosen.slice(0, 1).map((one) => chosen.length === 1 && (
              <div key={keyOf(one)}>
                <Row label="From the left · along">
                  {length(one.x_mm + (run.plans[one.sheet ?? 0]?.shift[0] ?? 0), unit)} · {length(one.y_mm + (run.plans[one.sheet ?? 0]?.shift[1] ?? 0) + (frameStarts(run)[one.sheet ?? 0] ?? 0), unit)} {unit}
                </Row>
                <Row label="Turned">{figure(one.rotation_deg, 0)}°</Row>
              </div>
            ))}
            <div role="group" aria-label="By hand" className="flex flex-wrap gap-1.5 py-2">
              {([["Turn left", ",", () => void withChosen({ do: "turn", degrees: 90 })], ["Turn right", ".", () => void withChosen({ do: "turn", degrees: -90 })], [allPinned ? "Let go" : "Pin", "P", pin], ["Double", "D", () => void withChosen({ do: "double" })], ["Take off", "Del", () => void withChosen({ do: "take off" })]] as const).map(([words, key, act]) => (
                <button key={key} type="button" onClick={act} disabled={hand.isPending} className="flex h-9 items-center gap-2 rounded-[5px] border border-rule bg-white px-2.5 hover:border-slate">
                  {words} <Key>{key}</Key>
                </button>
              ))}
            </div>
            <div role="group" aria-label="Align" className="grid grid-cols-3 gap-1.5 border-t border-rule pt-2">
              <span className="col-span-3 text-[12px] text-slate">{chosen.length > 1 ? "Align with each other" : "Align with the work"}, across and along the feed</span>
              {(["left", "centre", "right", "head", "middle", "tail"] as const).map((to) => (
                <button key={to} type="button" onClick={() => void withChosen({ do: "align", to })} disabled={hand.isPending} className="h-9 rounded-[5px] border border-rule bg-white px-1.5 capitalize hover:border-slate">
                  {to}
                </button>
              ))}
            </div>
          </Section>
        )}
        <Section title="Designs">
          {run.pieces.map((piece) => (
            <ItemRow
              key={piece.design_id}
              piece={piece}
              setCount={(count) => change(`count of ${piece.name}`, { items: run.document.items.map((item) => (item.design_id === piece.design_id ? { ...item, count } : item)) })}
              remove={() => change(`take out ${piece.name}`, { items: run.document.items.filter((item) => item.design_id !== piece.design_id) })}
            />
          ))}
          <button type="button" onClick={() => setAdding(true)} className="flex min-h-[36px] w-full items-center justify-between font-semibold text-pine">
            Add designs <Key>A</Key>
          </button>
        </Section>
        {run.plans.length > 0 && (
          <Section title="What is left">
            <p className="mb-1.5 text-[12px] text-slate">Filled with {fillers.length ? run.pieces.filter((piece) => fillers.includes(piece.design_id)).map((piece) => piece.name).join(", ") : "all designs by turns; choose pieces first to fill with theirs"}.</p>
            <div className="flex flex-col gap-1.5">
              <Action hint="F" onClick={() => fillWith("frame")} disabled={fill.isPending}>Fill the gaps</Action>
              <Action onClick={() => fillWith("reach")} disabled={fill.isPending}>Fill as far as the cutter reads</Action>
              <Action onClick={() => fillWith("roll")} disabled={fill.isPending}>{fill.isPending ? "Filling …" : "Fill the roll"}</Action>
            </div>
          </Section>
        )}
        {figures && (
          <Section title="Layouts side by side">
            <div className="flex gap-1.5">
              <div className="flex-1"><Action hint="K" onClick={() => void setAside()} disabled={layouts.isPending || run.document.kept.length >= 4}>Set this aside</Action></div>
              {run.document.kept.length > 0 && <div className="w-[120px]"><Action hint="C" onClick={() => setComparing(true)}>Compare</Action></div>}
            </div>
            <p className="mt-1 text-[12px] text-slate">{run.document.kept.length ? `${run.document.kept.length} of 4 set aside.` : "Up to four; then try other settings and compare."}</p>
          </Section>
        )}
        <LayingSection run={run} change={change} />
        <WeedSection run={run} change={change} />
        <StockSection run={run} machine={machine} />
        <PlaceSection run={run} machine={machine} />
        <Section title="Spacing and turning">
          <NumberRow label="Between pieces" value={run.document.gap_mm} least={0} why="No two cut lines come nearer than this." onChange={(value) => change("gap", { gap_mm: value })} />
          <NumberRow label="From the marks" value={run.document.edge_mm} least={0} why="Extra room between the pieces and the clear zones of the marks." onChange={(value) => change("edge", { edge_mm: value })} />
          <ChoiceRow label="Turning" value={run.document.turning} choices={[["free", "free"], ["quarter", "quarter turns"], ["half", "half turns"], ["none", "none"]]} why="A design that allows less keeps its own rule." onChange={(value) => change("turning", { turning: value })} />
          <NumberRow label="Time to nest" kind="plain" suffix="s" decimals={1} value={run.document.seconds} step={1} least={0.5} why="Longer finds a shorter layout; you can stop at any time." onChange={(value) => change("time to nest", { seconds: value })} />
          <NumberRow label="Then in the background" kind="plain" suffix="s" decimals={0} value={run.document.improve_seconds} step={10} least={0} most={3600} why="Goes on looking while you work, and offers what is shorter. 0: not at all." onChange={(value) => change("time in the background", { improve_seconds: Math.max(0, value) })} />
        </Section>
        {figures && (
          <Section title="Cost">
            <Row label="Stock">{figures.stock_cost} {figures.currency}</Row>
            <Row label="Each piece">{figures.each_cost} {figures.currency}</Row>
          </Section>
        )}
      </Readings>
    </>
  );
}

/** The name of one copy on the roll. */
const keyOf = (placement: { id: string; copy: number }) => `${placement.id}-${placement.copy}`;

type Item = { design_id: number; count: number };

function AddDesigns({ open, setOpen, items, add }: { open: boolean; setOpen: (open: boolean) => void; items: Item[]; add: (items: Item[]) => void }) {
  const { data: designs } = useQuery({ queryKey: ["designs"], queryFn: () => told(api.GET("/api/designs")) });
  const rest = designs?.filter((design) => design.width_mm !== null && !items.some((item) => item.design_id === design.id)) ?? [];
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="flex h-9 items-center gap-2 rounded-[6px] border border-rule bg-white px-3.5 font-semibold hover:border-slate">
        Add designs <Key>A</Key>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="w-[460px] rounded-[8px] border border-rule bg-paper p-3 shadow-xl">
          {rest.length === 0 ? (
            <p className="p-2 text-slate">Every design with a size is in this run already. Drop new art into Lines.</p>
          ) : (
            <div className="grid max-h-[360px] grid-cols-4 gap-2 overflow-y-auto">
              {rest.map((design) => (
                <DesignTile key={design.id} design={design} on={false} toggle={() => add([...items, { design_id: design.id, count: design.due_count }])} />
              ))}
            </div>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
