import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { roomQuery } from "../api/keys";
import { Action, TextButton } from "../ui/Button";
import { Note } from "../ui/Card";
import { Big } from "../ui/Readings";
import { Row, Section } from "../ui/Row";
import { figure, length, useUnit } from "../ui/units";
import { UseRecipe } from "../ui/UseRecipe";
import { AsAWhole } from "../ui/AsAWhole";
import { Working } from "../ui/Working";
import { BlankReadings } from "./bed/BlankReadings";
import { Holders } from "./bed/Holders";
import { ByHand } from "./ByHand";
import { Offer } from "./Comparison";
import { LayingSection } from "./Laying";
import { PlaceSection } from "./PlaceSection";
import { ItemRow, StockSection, WeedSection } from "./settings";
import { SlugSection } from "./SlugSection";
import { RowsSection, SpacingSection } from "./Spacing";
import type { Station } from "./useStation";

const LAY_WORDS = { grid: "Lay the grid", bed: "Lay the bed plan", page: "Lay the pages", each: "Lay one to a frame" } as const;

/** What is to be read and set of a run: its figures, the next step, the chosen pieces, designs, room, machines, cost. */
export function RunReadings({ station }: { station: Station }) {
  const { run, change, changeMachine } = station;
  const { figures } = run;
  return (
    <>
      <Figures run={run} />
      <Next station={station} />
      {station.arranging && run.bed && station.blank !== null && (
        <BlankReadings run={run} bed={run.bed} index={station.blank} choose={station.chooseBlank} put={station.putBlanks} />
      )}
      <ByHand station={station} />
      <Designs station={station} />
      {run.plans.length > 0 && ["nest", "grid"].includes(run.document.laying) && <Filling station={station} />}
      {figures && run.document.laying !== "page" && <SideBySide station={station} />}
      <LayingSection run={run} change={change} />
      {run.document.laying === "bed" && <Holders run={run} put={station.putBlanks} />}
      {run.document.laying !== "page" && <WeedSection run={run} change={change} />}
      <StockSection run={run} machine={changeMachine} />
      <PlaceSection run={run} machine={changeMachine} />
      <SlugSection run={run} change={change} />
      <RowsSection run={run} change={change} />
      <SpacingSection run={run} change={change} />
      <UseRecipe name="run recipe" use={station.useRecipe} from={{ run_id: run.id }} />
      {figures?.stock_cost && (
        <Section title="Cost">
          <Row label="Stock">
            {figures.stock_cost} {figures.currency}
          </Row>
          <Row label="Each piece">
            {figures.each_cost} {figures.currency}
          </Row>
        </Section>
      )}
      <AsAWhole
        kind="run"
        id={run.id}
        name={run.document.name}
        rename={(name) => change(`call it ${name}`, { name })}
        againWords="Make this run once more"
      />
    </>
  );
}

function Figures({ run: { figures } }: { run: Station["run"] }) {
  const unit = useUnit((state) => state.unit);
  const small = [
    ["waste", figures ? `${figure(figures.waste_m2, 2)} m²` : "– m²"],
    ["per metre", figures ? figure(figures.per_metre, 0) : "–"],
    ["pieces", figures ? figures.pieces : "–"],
  ] as const;
  return (
    <>
      <div className="flex justify-between">
        <Big label="length" value={figures ? length(figures.length_mm, unit, 0) : "–"} unit={unit} />
        <Big label="stock used" value={figures ? figure(figures.used_share * 100, 1) : "–"} unit="%" tone="text-go" end />
      </div>
      <div className="mt-2 mb-3 flex justify-between text-[12px]">
        {small.map(([words, value]) => (
          <span key={words}>
            {words} <b className="font-semibold">{value}</b>
          </span>
        ))}
      </div>
    </>
  );
}

function Next({ station }: { station: Station }) {
  const navigate = useNavigate();
  const { run, nesting, improving, nest, layouts } = station;
  const { figures, document } = run;
  const words = document.laying === "nest" ? (run.layout ? "Nest again" : "Nest") : LAY_WORDS[document.laying];
  if (nesting.progress) return <Working progress={nesting.progress} cancel={nesting.cancel} stopWords="Keep the best so far" />;
  return (
    <>
      <Action main={!figures} hint="N" onClick={nest} disabled={!document.items.length}>
        {words}
      </Action>
      {figures && (
        <div className="mt-2">
          <Action looks main onClick={() => void navigate(`/print/${run.id}`)}>
            To the printer
          </Action>
        </div>
      )}
      {figures && <Offer run={run} progress={improving.progress} stop={improving.cancel} step={(done) => layouts.mutate(done)} />}
      {run.trouble && <Note tone="stop">{run.trouble}</Note>}
      <NotLaid run={run} />
      {run.gaps.map((gap) => (
        <Gap key={gap.kind} gap={gap} use={(id) => station.changeMachine(KEYS[gap.kind], { [`${gap.kind}_id`]: id })} />
      ))}
      {run.beyond.map((words) => (
        <Note key={words}>{words}</Note>
      ))}
      {run.layout && !run.fresh && <Note>The run was changed after it was nested. Press N to nest it as it is now.</Note>}
    </>
  );
}

/** What of the counts the layout has no place for, and why. */
function NotLaid({ run }: { run: Station["run"] }) {
  if (!run.fresh) return null;
  return run.layout?.unplaced?.map(({ id, count, reason }) => (
    <Note key={id}>
      {count} × {run.pieces.find((piece) => String(piece.design_id) === id)?.name ?? "a design"} not laid: {reason}
    </Note>
  ));
}

type GapShown = Station["run"]["gaps"][number];
const KEYS: Record<GapShown["kind"], string> = {
  stock: "stock",
  roll: "roll",
  printer: "printer",
  laminator: "laminator",
  cutter: "cutter",
  mark_set: "marks",
  print_mode: "print mode",
};

/** Something that the run is made on and that was put away: the nearest takes its place in one press. */
function Gap({ gap, use }: { gap: GapShown; use: (id: number) => void }) {
  return (
    <Note tone="stop">
      {gap.name} is put away.{" "}
      {gap.nearest_id === null ? (
        `There is no other ${KEYS[gap.kind]}: put one on the Shelf, or take it out again there.`
      ) : (
        <button type="button" className="font-semibold text-pine underline" onClick={() => use(gap.nearest_id ?? 0)}>
          Use {gap.nearest}
        </button>
      )}
    </Note>
  );
}

function Designs({ station: { run, change, setAdding } }: { station: Station }) {
  return (
    <Section title="Designs">
      {run.pieces.map((piece) => {
        const isIt = (item: { design_id: number }) => item.design_id === piece.design_id;
        return (
          <ItemRow
            key={piece.design_id}
            piece={piece}
            setCount={(count) =>
              change(`count of ${piece.name}`, (now) => ({ items: now.items.map((item) => (isIt(item) ? { ...item, count } : item)) }))
            }
            remove={() => change(`take out ${piece.name}`, (now) => ({ items: now.items.filter((item) => !isIt(item)) }))}
          />
        );
      })}
      <TextButton hint="A" onClick={() => setAdding(true)}>
        Add designs
      </TextButton>
    </Section>
  );
}

function Filling({ station: { run, fillers, fillWith, fill } }: { station: Station }) {
  const names = run.pieces.filter((piece) => fillers.includes(piece.design_id)).map((piece) => piece.name);
  return (
    <Section title="What is left">
      <Room run={run} />
      <p className="mb-1.5 text-[12px] text-slate">
        Filled with {fillers.length ? names.join(", ") : "all designs by turns; choose pieces first to fill with theirs"}.
      </p>
      <div className="flex flex-col gap-1.5">
        <Action hint="F" onClick={() => fillWith("frame")} disabled={fill.isPending}>
          Fill the gaps
        </Action>
        <Action onClick={() => fillWith("reach")} disabled={fill.isPending}>
          {run.cutter_name ? "Fill as far as the cutter reads" : "Fill as long as a print may be"}
        </Action>
        <Action onClick={() => fillWith("roll")} disabled={fill.isPending}>
          {fill.isPending ? "Filling …" : "Fill the roll"}
        </Action>
      </div>
    </Section>
  );
}

/** The room that is shaded on the roll, in pieces. */
function Room({ run }: { run: Station["run"] }) {
  const { data } = useQuery(roomQuery(run.id, run.revision));
  if (!data && run.rooms.length > 0) return <p className="mb-1.5 text-slate">Counting what still fits …</p>;
  if (!data?.length) return null;
  const more = data.filter((one) => one.more > 0);
  const where = run.document.sheet_mm === null ? "between the marks" : "on the sheets";
  return (
    <p className="mb-1.5" aria-label="Room">
      {more.length ? (
        <>
          Room {where} for{" "}
          {more.map((one, index) => (
            <span key={one.design_id}>
              {index ? " or " : ""}
              <b className="font-semibold">{one.more}</b> more {one.name}
            </span>
          ))}
          .
        </>
      ) : (
        `No room ${where} for one more.`
      )}
    </p>
  );
}

function SideBySide({ station: { run, layouts, setAside, setComparing } }: { station: Station }) {
  const kept = run.document.kept.length;
  return (
    <Section title="Layouts side by side">
      <div className="flex gap-1.5">
        <div className="flex-1">
          <Action hint="K" onClick={() => void setAside()} disabled={layouts.isPending || kept >= 4}>
            Set this aside
          </Action>
        </div>
        {kept > 0 && (
          <div className="w-[120px]">
            <Action looks hint="C" onClick={() => setComparing(true)}>
              Compare
            </Action>
          </div>
        )}
      </div>
      <p className="mt-1 text-[12px] text-slate">{kept ? `${kept} of 4 set aside.` : "Up to four; then try other settings and compare."}</p>
    </Section>
  );
}
