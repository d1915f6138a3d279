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
import { Action, Big, ChoiceRow, Key, NumberField, NumberRow, Readings, Row, sayProblem, Section, Working } from "../ui/Readings";
import { RunStrip } from "../ui/RunStrip";
import { figure, length, useUnit } from "../ui/units";

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
    queries.setQueryData(key, fresh);
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
  const edit = useMutation({
    mutationFn: ({ words, changes }: { words: string; changes: Partial<Document> }) =>
      shown<"RunShown">(api.POST("/api/runs/{run_id}/edits", { ...path, body: { revision: revision(), words, changes } })),
    scope: { id: `run ${id}` },
    onSuccess: keep,
    onError: failed,
  });
  const step = useMutation({
    mutationFn: (way: "undo" | "redo") => shown<"RunShown">(api.POST("/api/runs/{run_id}/{way}", { params: { path: { run_id: id, way } }, body: { revision: revision() } })),
    scope: { id: `run ${id}` },
    onSuccess: keep,
    onError: failed,
  });
  const hand = useMutation({
    mutationFn: (done: Partial<Schemas["HandStep"]> & Pick<Schemas["HandStep"], "do" | "keys">) =>
      shown<"RunShown">(api.POST("/api/runs/{run_id}/pieces", { ...path, body: { revision: revision(), step: { by_mm: [0, 0], degrees: 90, ...done } } })),
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
    scope: { id: `run ${id}` },
    onSuccess: keep,
    onError: failed,
  });
  const task = useTask(`nest ${id}`, refresh);
  const nest = () => {
    if (!task.progress) void task.start("Nesting", () => told(api.PUT("/api/runs/{run_id}/nest", path)));
  };
  const change = (words: string, changes: Partial<Document>) => edit.mutate({ words, changes });
  const withChosen = (done: Omit<Parameters<typeof hand.mutate>[0], "keys">) => selected.length > 0 && hand.mutate({ ...done, keys: selected });
  const allPinned = selected.length > 0 && selected.every((key) => run?.document.pinned?.includes(key));
  const pin = () => void withChosen({ do: allPinned ? "let go" : "pin" });
  /** Designs to fill with: those of the chosen pieces, or all. */
  const fillers = [...new Set(selected.map((key) => Number(key.slice(0, key.lastIndexOf("-")))))];
  const fillWith = (to: "frame" | "reach") => run && run.plans.length > 0 && fill.mutate({ design_ids: fillers.length ? fillers : run.pieces.map((piece) => piece.design_id), to });
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
              {run.plans.length === 1 ? ` · code ${run.plans[0]?.codes[0]?.payload}` : run.plans.length ? ` · ${run.plans.length} frames, because the cutter reads no further` : ""}
            </p>
          </div>
          <div className="flex shrink-0 items-center gap-2">
            <StepButtons undo={run.undo} redo={run.redo} step={(way) => step.mutate(way)} />
            <AddDesigns open={adding} setOpen={setAdding} items={run.document.items} add={(items) => change("add designs", { items })} />
          </div>
        </div>
        <div className="mt-2 min-h-0 flex-1">
          <RollCanvas run={run} selected={selected} select={select} busy={task.progress !== null} move={(keys, right, along) => hand.mutate({ do: "move", keys, by_mm: [right, along] })} />
        </div>
        <Overview run={run} />
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
            {run.document.laying === "grid" ? "Lay the grid" : run.layout ? "Nest again" : "Nest"}
          </Action>
        )}
        {figures && !task.progress && (
          <div className="mt-2">
            <Action main onClick={() => void navigate(`/print/${id}`)}>
              To the printer
            </Action>
          </div>
        )}
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
            </div>
          </Section>
        )}
        <StockSection run={run} change={change} />
        <LayingSection run={run} change={change} />
        <Section title="Spacing and turning">
          <NumberRow label="Between pieces" value={run.document.gap_mm} least={0} why="No two cut lines come nearer than this." onChange={(value) => change("gap", { gap_mm: value })} />
          <NumberRow label="From the marks" value={run.document.edge_mm} least={0} why="Extra room between the pieces and the clear zones of the marks." onChange={(value) => change("edge", { edge_mm: value })} />
          <ChoiceRow label="Turning" value={run.document.turning} choices={[["free", "free"], ["quarter", "quarter turns"], ["half", "half turns"], ["none", "none"]]} why="A design that allows less keeps its own rule." onChange={(value) => change("turning", { turning: value })} />
          <NumberRow label="Time to nest" kind="plain" suffix="s" decimals={1} value={run.document.seconds} step={1} least={0.5} why="Longer finds a shorter layout; you can stop at any time." onChange={(value) => change("time to nest", { seconds: value })} />
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

function ItemRow({ piece, setCount, remove }: { piece: Schemas["PieceShown"]; setCount: (count: number) => void; remove: () => void }) {
  const [open, setOpen] = useState(false);
  return (
    <div className="border-b border-rule">
      <button type="button" aria-expanded={open} onClick={() => setOpen(!open)} className="flex min-h-[40px] w-full items-center gap-2.5 text-left hover:text-pine">
        <img src={`/api/designs/${piece.design_id}/thumb`} alt="" className="h-7 w-8 object-contain" />
        <span className="flex-1 truncate">{piece.name}</span>
        <span className={piece.placed < piece.count ? "text-check-text" : ""}>
          <b className="font-semibold">{piece.placed}</b> / {piece.count}
        </span>
      </button>
      {open && (
        <div className="flex items-start gap-2 pb-2.5">
          <div className="flex-1">
            <NumberField label={`Count of ${piece.name}`} why="" kind="plain" decimals={0} step={1} least={1} value={piece.count} onChange={(value) => setCount(Math.max(1, Math.round(value)))} close={() => setOpen(false)} />
          </div>
          <button type="button" onClick={remove} className="h-9 rounded-[5px] border border-rule bg-white px-3 font-semibold hover:border-slate">
            Take out
          </button>
        </div>
      )}
    </div>
  );
}

function StockSection({ run, change }: { run: Run; change: (words: string, changes: Partial<Document>) => void }) {
  const { data: shelf } = useQuery({ queryKey: ["shelf"], queryFn: () => told(api.GET("/api/shelf")) });
  const rolls = shelf?.roll.filter((roll) => roll.stock_id === run.document.stock_id) ?? [];
  return (
    <Section title="Stock and cutter">
      <ChoiceRow
        label="Stock"
        value={String(run.document.stock_id)}
        choices={shelf?.stock.map((stock) => [String(stock.id), String(stock.name)]) ?? [[String(run.document.stock_id), run.stock_name]]}
        why="The material this run is printed on; marks are laid anew when it changes."
        onChange={(value) => change("stock", { stock_id: Number(value) })}
      />
      <ChoiceRow
        label="Roll"
        value={String(run.document.roll_id)}
        choices={rolls.length ? rolls.map((roll) => [String(roll.id), String(roll.name)]) : [[String(run.document.roll_id), run.roll_name]]}
        why="The roll the length is taken off."
        onChange={(value) => change("roll", { roll_id: Number(value) })}
      />
      <ChoiceRow
        label="Marks"
        value={String(run.document.mark_set_id)}
        choices={shelf?.mark_set.map((marks) => [String(marks.id), String(marks.name)]) ?? [[String(run.document.mark_set_id), "…"]]}
        why="What the cutter's head looks for."
        onChange={(value) => change("marks", { mark_set_id: Number(value) })}
      />
    </Section>
  );
}

/** True shapes or a straight grid, and how the grid stands. */
function LayingSection({ run, change }: { run: Run; change: (words: string, changes: Partial<Document>) => void }) {
  const { laying, grid } = run.document;
  const put = (words: string, changes: Partial<Document["grid"]>) => change(words, { grid: { ...grid, ...changes } });
  return (
    <Section title="Laying">
      <ChoiceRow label="Pieces are" value={laying} choices={[["nest", "nested by their shapes"], ["grid", "in a straight grid"]]} why="A grid is quick to weed and to count; nesting takes less stock." onChange={(next) => change("way of laying", { laying: next })} />
      {laying === "grid" && (
        <>
          <NumberRow label="Columns" kind="plain" decimals={0} step={1} least={0} most={1000} value={grid.columns ?? 0} why="How many stand beside each other; 0 takes as many as fit." onChange={(value) => put("columns", { columns: value >= 1 ? Math.round(value) : null })} />
          <NumberRow label="Gap across" least={0} value={grid.gap_across_mm} why="Between the boxes round two neighbours in a row." onChange={(value) => put("gap across", { gap_across_mm: value })} />
          <NumberRow label="Gap along the feed" least={0} value={grid.gap_along_mm} why="Between two rows." onChange={(value) => put("gap along", { gap_along_mm: value })} />
          <ChoiceRow label="Stands" value={grid.place} choices={[["centred", "centred"], ["from the edge", "from the edge"]]} why="The whole grid in the middle between the marks, or from the left." onChange={(place) => put("place of the grid", { place })} />
          <ChoiceRow label="Rows" value={grid.staggered ? "yes" : "no"} choices={[["no", "under each other"], ["yes", "staggered"]]} why="Every other row is shifted by half a step." onChange={(value) => put("staggered", { staggered: value === "yes" })} />
          <ChoiceRow label="Pieces turned" value={String(grid.rotation_deg)} choices={[["0", "not"], ["90", "90°"], ["180", "180°"], ["270", "270°"]]} why="All pieces stand the same way." onChange={(value) => put("turn of the grid", { rotation_deg: Number(value) as 0 | 90 | 180 | 270 })} />
        </>
      )}
    </Section>
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

/** The run within what is left of its roll. */
function Overview({ run }: { run: Run }) {
  const unit = useUnit((state) => state.unit);
  const whole = Math.max(run.roll_left_mm, frameStarts(run).at(-1) ?? 0);
  return (
    <div className="mt-2 flex h-[38px] items-stretch gap-0.5 rounded-[6px] border border-rule bg-paper p-1" aria-label="Overview">
      {run.plans.map((plan, number) => (
        <div key={number} className={`flex items-center overflow-hidden border-2 border-pine bg-pine-wash px-2 font-semibold whitespace-nowrap text-pine ${run.plans.length < 5 ? "min-w-[70px]" : ""}`} style={{ width: `${(plan.length_mm / whole) * 100}%` }} title={`Frame ${number + 1}, code ${plan.codes[0]?.payload}, ${length(plan.length_mm, unit, 0)} ${unit}`}>
          {run.plans.length < 5 ? "frame " : ""}{number + 1}
        </div>
      ))}
      <span className="ml-auto self-center px-2 text-[12px] text-slate">
        roll {length(run.roll_left_mm, unit, 0)} {unit} left
      </span>
    </div>
  );
}
