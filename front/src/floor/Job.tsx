import { useDeferredValue, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { barQuery } from "../api/keys";
import { type Job as JobShown, partsQuery, useJob } from "../api/useJob";
import { useQuery } from "@tanstack/react-query";
import { useRecipes } from "../api/useRecipes";
import { useMay } from "../people/usePeople";
import { TakeInButton, usePasted, useTakeIn } from "../lines/takeIn";
import { Action, Button, buttonLook, TextButton } from "../ui/Button";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow, TextField } from "../ui/Field";
import { fixedLook, whiteLook, wordLook } from "../ui/look";
import { useLooksOnly } from "../ui/looksOnly";
import { AsAWhole } from "../ui/AsAWhole";
import { day } from "../ui/moments";
import { Big, Readings } from "../ui/Readings";
import { Labelled, Section } from "../ui/Row";
import { figure, length, useUnit } from "../ui/units";
import { WentOn } from "../ui/WentOn";
import { dueWords } from "./due";
import { CustomersYes } from "./CustomersYes";
import { HandSteps } from "./HandSteps";
import { JobFiles } from "./JobFiles";
import { Pages, useLooking, WordsField } from "./looking";
import { Money } from "./Money";
import { Ribbon, TONES } from "./Ribbon";

/** Designs on a page of a large job. */
const A_PAGE = 40;
type Held = ReturnType<typeof useJob>;
type Part = JobShown["parts"][number];

/** One job: its designs and how far their pieces have come, its customer, its day, and what is next for it. */
export default function Job() {
  const id = Number(useParams().id);
  const held = useJob(id);
  if (held.error) return <main className="flex-1 p-6">{held.error.message}</main>;
  if (!held.job) return <main className="flex-1" />;
  return <Shown key={id} held={held} job={held.job} />;
}

function Shown({ held, job }: { held: Held; job: JobShown }) {
  const { data: bar } = useQuery(barQuery);
  const books = useMay("BOOKS");
  const looksOnly = useLooksOnly();
  const [when, tone] = dueWords(job.due, bar?.today ?? "");
  const { over, taking, send, target } = useTakeIn(undefined, job.id);
  usePasted(send);
  return (
    <>
      <main
        className={`flex min-w-0 flex-1 flex-col overflow-y-auto p-6 pt-5 ${over ? "outline-2 -outline-offset-4 outline-pine" : ""}`}
        aria-label="Job"
        {...target}
      >
        <div className="flex items-start justify-between gap-4">
          <div>
            <p className="text-[12px] text-slate">
              <Link to="/floor/jobs" className={wordLook}>
                All jobs
              </Link>{" "}
              · {job.customer}
            </p>
            <h1>{job.name}</h1>
            <p className={`mt-1 inline-block rounded-[5px] border border-rule bg-paper px-2 font-semibold ${TONES[job.tone]}`}>
              {job.words}
            </p>
            {job.cleared_at && (
              <div className="mt-1.5">
                <WentOn what="Its art and files" at={job.cleared_at} />
              </div>
            )}
          </div>
          <span className="flex gap-2">
            {books && (
              <a href={`/api/jobs/${job.id}/traveller`} target="_blank" rel="noreferrer" className={`${buttonLook} h-9 px-3.5`}>
                Traveller
              </a>
            )}
            <TakeInButton send={send} taking={taking} />
          </span>
        </div>
        <div className="mt-4 flex flex-col gap-2.5">
          {job.more_parts ? (
            <ManyParts job={job} held={held} />
          ) : (
            job.parts.map((part) => <PartRow key={part.id} part={part} job={job} held={held} />)
          )}
          {job.parts.length === 0 && (
            <p className="text-slate">No art belongs to this job. Drop art here, or move a design here from another job.</p>
          )}
        </div>
        {books && job.parts.length > 0 && !job.cleared_at && <Money job={job} />}
      </main>
      <Readings label="This job">
        <div className="flex justify-between">
          <Big label="due" value={when || "no day"} tone={tone.includes("stop") ? "text-stop" : ""} />
          <Big label="pieces" value={figure(job.pieces.due, 0)} />
          <Big label="good" value={figure(job.pieces.good, 0)} end />
        </div>
        <div className="mt-3 flex flex-col gap-2">{!job.cleared_at && <Next job={job} held={held} />}</div>
        <CustomersYes job={job} held={held} />
        <HandedOver job={job} held={held} />
        <HowDone job={job} />
        <Section title="The job">
          <Labelled words="Name">
            <TextField label="Name" value={job.name} longest={120} onChange={(name) => name.trim() && held.change({ name })} />
          </Labelled>
          <Labelled words="Customer">
            <TextField label="Customer" value={job.customer} longest={120} onChange={(customer) => held.change({ customer })} />
          </Labelled>
          <Labelled words="Due">
            <input
              type="date"
              disabled={looksOnly}
              key={job.due}
              defaultValue={job.due ?? ""}
              onBlur={(event) => event.target.value !== (job.due ?? "") && held.change({ due: event.target.value || null })}
              onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
              className={`block h-9 w-full rounded-[5px] border border-rule bg-white px-2.5 font-semibold ${fixedLook}`}
            />
          </Labelled>
          <ChoiceRow
            label="Stock"
            value={String(job.stock_id ?? "")}
            choices={[["", "not said"], ...job.stocks.map((stock) => [String(stock.id), stock.name] as [string, string])]}
            why="What it is to be printed on: runs of this job begin on it, and jobs of one stock are offered together."
            onChange={(value) => held.change({ stock_id: Number(value) || null })}
          />
          <ChoiceRow
            label="Film"
            value={job.without_film ? "none" : String(job.laminator_id ?? "")}
            choices={[["", "not said"], ["none", "without"], ...job.films.map((film) => [String(film.id), film.name] as [string, string])]}
            why="The film it gets: runs of this job begin with it."
            onChange={(value) => held.change({ laminator_id: Number(value) || null, without_film: value === "none" })}
          />
          <NumberRow
            label="Spares"
            kind="plain"
            suffix="pieces"
            decimals={0}
            zero="none"
            value={job.spare_count}
            least={0}
            most={10_000}
            why="So many pieces of each design more than are due are made with the first run; what is spoiled takes them first."
            onChange={(spare_count) => held.change({ spare_count: Math.round(spare_count) })}
          />
          <NumberRow
            label="Spares besides"
            kind="plain"
            suffix="%"
            decimals={1}
            zero="none"
            value={job.spare_percent}
            least={0}
            most={200}
            why="So many of a hundred more than are due, rounded up for each design."
            onChange={(spare_percent) => held.change({ spare_percent })}
          />
          <Labelled words="Notes">
            <textarea
              disabled={looksOnly}
              key={job.notes}
              defaultValue={job.notes}
              maxLength={4000}
              rows={4}
              onBlur={(event) => event.target.value.trim() !== job.notes && held.change({ notes: event.target.value })}
              className={`block w-full rounded-[5px] border border-rule bg-white px-2.5 py-1.5 ${fixedLook}`}
            />
          </Labelled>
        </Section>
        <JobFiles job={job} />
        <HandSteps job={job} change={held.change} />
        <AsAWhole kind="job" id={job.id} name={job.name} againWords="Order it again: the same designs" />
      </Readings>
    </>
  );
}

/** What left the shop, each time on a slip of its own. */
function HandedOver({ job, held }: { job: JobShown; held: Held }) {
  if (job.handovers.length === 0) return null;
  return (
    <Section title="Handed over">
      {job.handovers.map((one) => (
        <div key={one.id} className="flex min-h-[44px] items-center gap-2 border-b border-rule">
          <span className="min-w-0 flex-1">
            <span className="block truncate">{one.items.map((item) => `${figure(item.count, 0)} ${item.name}`).join(", ")}</span>
            <span className="text-[12px] text-slate">
              slip {one.id} · {day(one.at)}
            </span>
          </span>
          <a
            href={`/api/jobs/${job.id}/handovers/${one.id}/slip`}
            target="_blank"
            rel="noreferrer"
            className={`${buttonLook} h-9 px-2.5`}
            aria-label={`Print slip ${one.id}`}
          >
            Slip
          </a>
          <Button narrow aria-label={`Take slip ${one.id} back`} onClick={() => held.takeBack.mutate(one.id)}>
            Take back
          </Button>
        </div>
      ))}
    </Section>
  );
}

/** How the job was done, kept for others like it: its first design's lines, and the run it is in. */
function HowDone({ job }: { job: JobShown }) {
  const { add } = useRecipes();
  const part = job.parts.find((one) => one.runs.length > 0);
  if (!part) return null;
  const body = { name: job.name.slice(0, 110), design_id: part.id, run_id: part.runs[0]?.id };
  return (
    <Section title="Recipe">
      {job.recipe && <p className="text-[12px] text-slate">Done by {job.recipe}, as it was then.</p>}
      <TextButton disabled={add.isPending} onClick={() => add.mutate(body)}>
        Remember how this was done
      </TextButton>
    </Section>
  );
}

/** Designs of a large job: found by their names, a page at a time. */
function ManyParts({ job, held }: { job: JobShown; held: Held }) {
  const looking = useLooking();
  const text = useDeferredValue(looking.text);
  const { data } = useQuery(partsQuery(job.id, text, looking.skip));
  return (
    <>
      <div className="flex items-center gap-3">
        <b className="mr-auto font-semibold">{figure(job.next.designs, 0)} designs</b>
        <WordsField label="Name of a design" looking={looking} />
      </div>
      {data?.parts.map((part) => (
        <PartRow key={part.id} part={part} job={job} held={held} />
      ))}
      {data?.parts.length === 0 && <p className="text-slate">No design of this job is called so.</p>}
      <Pages looking={looking} size={A_PAGE} more={data?.more ?? false} words={["Those before", "Those after"]} />
    </>
  );
}

/** A design of the job: how far its pieces have come, where they are, and the way to another job. */
function PartRow({ part, job, held }: { part: Part; job: JobShown; held: Held }) {
  const unit = useUnit((state) => state.unit);
  const [moving, setMoving] = useState(false);
  const { pieces } = part;
  const counts = [
    [pieces.planned, "in runs"],
    [pieces.printed, "printed"],
    [pieces.cut, "cut"],
    [pieces.good, "good"],
    [pieces.spoiled, "spoiled"],
    [pieces.handed, "handed over"],
  ] as const;
  return (
    <section aria-label={part.name} className="rounded-[7px] border border-rule bg-paper px-3 py-2.5">
      <div className="flex items-center gap-4">
        <span className="flex h-[64px] w-[76px] shrink-0 items-center justify-center">
          <img src={`/api/designs/${part.id}/thumb`} alt="" loading="lazy" className="max-h-full max-w-full object-contain" />
        </span>
        <div className="min-w-0 flex-1">
          <div className="flex items-baseline justify-between gap-3">
            <Link to={`/lines/${part.id}`} className="truncate font-semibold hover:text-pine">
              {part.name}
            </Link>
            <b className="shrink-0 font-semibold">{figure(pieces.due, 0)} due</b>
          </div>
          <div className="mt-1.5 mb-1.5">
            <Ribbon steps={part.steps} />
          </div>
          <div className="flex justify-between gap-3 text-[12px] text-slate">
            <span>
              {part.width_mm ? `${length(part.width_mm, unit, 1)} ${unit} wide` : "size not known"}
              {pieces.ready < pieces.due && <b className="font-semibold text-check-text"> · line to check</b>}
              {counts.filter(([count]) => count > 0).map(([count, words]) => ` · ${figure(count, 0)} ${words}`)}
            </span>
            <span className="flex shrink-0 gap-3">
              {part.runs.slice(0, 3).map((run) => (
                <Link key={run.id} to={`/run/${run.id}`} className="max-w-[180px] truncate text-pine hover:underline">
                  {run.name}
                </Link>
              ))}
            </span>
          </div>
        </div>
        <Button narrow aria-expanded={moving} onClick={() => setMoving(!moving)}>
          Move
        </Button>
      </div>
      {moving && (
        <div role="group" aria-label={`Where ${part.name} goes`} className="mt-2.5 flex flex-wrap gap-2 border-t border-rule pt-2.5">
          {job.others.map((other) => (
            <button
              key={other.id}
              type="button"
              onClick={() => held.move.mutate({ design_id: part.id, to: other.id })}
              className={`h-9 rounded-[5px] px-2.5 ${whiteLook}`}
            >
              <b className="font-semibold">{other.name}</b> <span className="text-slate">{other.customer}</span>
            </button>
          ))}
          <Button narrow onClick={() => held.move.mutate({ design_id: part.id, to: "new" })}>
            A new job
          </Button>
        </div>
      )}
    </section>
  );
}

/** The one step that brings the job on: lines that wait, then pieces that no run has, then where its newest run is. */
function Next({ job, held }: { job: JobShown; held: Held }) {
  const navigate = useNavigate();
  const { designs, waits, wanted, wants_more, here, whole, run } = job.next;
  const plan = () => held.plan.mutate(job, { onSuccess: (made) => void navigate(`/run/${made.id}`) });
  if (designs === 0) return null;
  return (
    <>
      {waits && (
        <Action looks main onClick={() => void navigate(`/lines/${waits.id}`)}>
          Check the line of {waits.name}
        </Action>
      )}
      {waits && designs > 1 && (
        <Action looks onClick={() => void navigate(`/lines/job/${job.id}`)}>
          Look over all of them at once
        </Action>
      )}
      {wanted > 0 && (
        <Action main={!waits} disabled={held.plan.isPending} onClick={plan}>
          Make {wants_more ? "the first run, of" : "a run of"} {figure(wanted, 0)} pieces
        </Action>
      )}
      {here > 0 && (
        <Action main={whole} onClick={() => held.handOver.mutate()}>
          {whole ? `Hand over ${figure(here, 0)} pieces` : `Hand over the ${figure(here, 0)} that are good`}
        </Action>
      )}
      {!waits && wanted === 0 && !job.done && !whole && run && (
        <Action looks main onClick={() => void navigate(run.state === "planned" ? `/run/${run.id}` : `/print/${run.id}`)}>
          Open {run.name}
        </Action>
      )}
    </>
  );
}
