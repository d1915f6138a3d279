import { floorQuery } from "../api/keys";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import type { Schemas } from "../api/client";
import { useKeys } from "../ui/keys";
import { Key } from "../ui/Button";
import { Big, Readings } from "../ui/Readings";
import { Row, Section } from "../ui/Row";
import { figure, metres } from "../ui/units";
import { pineLook } from "../ui/look";
import { dueWords } from "./due";

type Card = Schemas["CardShown"];

const COLUMNS: [Card["column"], string][] = [
  ["lines", "Needs lines"],
  ["ready", "Ready to run"],
  ["printing", "Printing"],
  ["film", "Film and rest"],
  ["cutter", "At the cutter"],
];
const STATION: Record<Card["column"], string> = {
  lines: "lines",
  ready: "run",
  printing: "print",
  film: "print",
  cutter: "bench",
  done: "bench",
};

export function Floor() {
  const { data: floor, error } = useQuery(floorQuery);
  if (error) return <main className="flex-1 p-6">{error.message}</main>;
  if (!floor) return <main className="flex-1" />;
  if (floor.cards.length === 0 && floor.bare) return <NoShopYet />;
  const due = floor.cards.filter((card) => card.column !== "done" && card.due !== null && card.due <= floor.today);
  const late = due.filter((card) => card.due !== null && card.due < floor.today);
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col p-6 pt-5" aria-label="Floor">
        <h1 className="sr-only">Floor</h1>
        <div className="grid min-h-0 flex-1 grid-cols-5 gap-4 overflow-y-auto">
          {COLUMNS.map(([column, title]) => {
            const cards = floor.cards.filter((card) => card.column === column);
            return (
              <section key={column} aria-label={title}>
                <h2 className="mb-2.5 flex items-baseline gap-2">
                  {title} <span className="text-[12px] font-normal text-slate">{cards.length}</span>
                </h2>
                <div className="flex flex-col gap-2.5">
                  {cards.map((card) => (
                    <JobCard key={`${card.kind}${card.id}`} card={card} today={floor.today} />
                  ))}
                  {cards.length === 0 && <p className="text-[12px] text-slate">{EMPTY[column]}</p>}
                </div>
              </section>
            );
          })}
        </div>
        <Next cards={floor.cards} />
      </main>
      <Readings label="Today">
        <div className="flex justify-between">
          <Big label="due today" value={String(due.length)} />
          <Big label="late" value={String(late.length)} tone={late.length ? "text-stop" : ""} />
          <Big label="pieces good" value={figure(floor.good, 0)} end />
        </div>
        <SetUpOpen open={floor.still_open} />
        <Section title="Next for your hands">
          {nextForHands(floor.cards).map(([words, path, when]) => (
            <Link key={words} to={path} className="flex min-h-[36px] items-center justify-between border-b border-rule hover:text-pine">
              <span>{words}</span>
              <b className="font-semibold">{when}</b>
            </Link>
          ))}
        </Section>
        <Section title="Jobs">
          <Link to="/floor/jobs" className="flex min-h-[36px] items-center justify-between border-b border-rule hover:text-pine">
            <span>All jobs</span>
            <span className="text-[12px] text-slate">by name, customer, month</span>
          </Link>
        </Section>
        <Section title="Rolls on hand">
          {floor.rolls.map((roll) => (
            <div key={roll.name} className="flex min-h-[56px] items-center gap-3 border-b border-rule">
              <RollPicture share={roll.remaining_mm / roll.length_mm} />
              <span className="flex-1">{roll.name}</span>
              <b className={`font-semibold ${roll.remaining_mm < 3000 ? "text-check-text" : ""}`}>{metres(roll.remaining_mm)}</b>
            </div>
          ))}
        </Section>
        <Section title="Finished so far">
          <Row label="Good">{figure(floor.good, 0)}</Row>
          <Row label="Spoiled">{figure(floor.pieces - floor.good, 0)}</Row>
        </Section>
      </Readings>
    </>
  );
}

/** While the shop still lacks something, the way to where it is put on. */
function SetUpOpen({ open }: { open: number }) {
  if (open === 0) return null;
  return (
    <Section title="The shop">
      <Link to="/set-up" className="flex min-h-[36px] items-center justify-between border-b border-rule hover:text-pine">
        <span>Set it up</span>
        <b className="font-semibold text-check-text">{open} open</b>
      </Link>
    </Section>
  );
}

/** Nothing is there yet: the first thing to do is to put the shop together. */
function NoShopYet() {
  return (
    <main className="flex flex-1 items-center justify-center" aria-label="Floor">
      <div className="w-[560px] rounded-[8px] border border-rule bg-paper p-7">
        <h1>Your shop is empty</h1>
        <p className="mt-2 mb-5 text-[15px] leading-6">
          Put your printer, a stock, film or none, and your cutter on the way of the work, in any order. Then drop the first art into Lines.
        </p>
        <Link
          to="/set-up"
          className={`flex h-[52px] items-center justify-between rounded-[6px] px-4 text-[16px] font-semibold ${pineLook}`}
        >
          Set up the shop
        </Link>
      </div>
    </main>
  );
}

const EMPTY: Record<string, string> = {
  lines: "Drop art into Lines.",
  ready: "Mark a design ready in Lines.",
  printing: "Nothing on the printer.",
  film: "No print waits for film.",
  cutter: "No sheet waits for the knife.",
};

function JobCard({ card, today }: { card: Card; today: string }) {
  const path = card.kind === "design" ? `/lines/${card.id}` : card.column === "cutter" ? "/bench" : `/${STATION[card.column]}/${card.id}`;
  const [when, tone] = dueWords(card.due, today);
  return (
    <Link to={path} className="block rounded-[7px] border border-rule bg-paper px-2.5 pt-2 pb-2 hover:border-slate">
      <div className="flex h-[82px] items-center justify-center">
        <img src={card.thumb} alt="" className="max-h-full max-w-full object-contain" />
      </div>
      <div className="mt-1.5 leading-4 font-semibold">{card.name}</div>
      <div className="mt-1 flex justify-between gap-2 text-[12px] text-slate">
        <span className="truncate">{card.words}</span>
        <span className={`shrink-0 ${tone}`}>{when}</span>
      </div>
    </Link>
  );
}

function nextForHands(cards: Card[]): [string, string, string][] {
  const found: [string, string, string][] = [];
  for (const column of ["cutter", "film", "lines"] as const) {
    for (const card of cards.filter((one) => one.column === column)) {
      if (column === "cutter") found.push([`Load and cut ${card.name}`, "/bench", "now"]);
      else if (column === "film") found.push([`Film on ${card.name}`, `/print/${card.id}`, "now"]);
      else found.push([`Check the line of ${card.name}`, `/lines/${card.id}`, "next"]);
    }
  }
  return found.slice(0, 4);
}

/** What to do when several ready designs wait: the one sentence that saves stock. */
function Next({ cards }: { cards: Card[] }) {
  const navigate = useNavigate();
  useKeys({ r: () => void navigate("/run?new=1") });
  const ready = cards.filter((card) => card.kind === "design" && card.column === "ready");
  if (ready.length < 1) return null;
  return (
    <div className="mt-4 flex items-center justify-between rounded-[8px] border border-go-rule bg-pine-wash px-4 py-3">
      <span>
        <b className="font-semibold">
          {ready.length} {ready.length === 1 ? "design is" : "designs are"} ready and not in a run.
        </b>{" "}
        {ready.length === 1 ? "Put it on a roll while the printer is free." : "Together on one roll they share marks and margins."}
      </span>
      <Link
        to="/run?new=1"
        className="flex items-center gap-3 rounded-[6px] bg-pine px-3.5 py-2 font-semibold text-white hover:bg-pine-deep"
      >
        Make one run <Key onDark>R</Key>
      </Link>
    </div>
  );
}

function RollPicture({ share }: { share: number }) {
  const outer = 8 + 12 * Math.sqrt(Math.max(0.03, share));
  return (
    <svg width="42" height="42" viewBox="-21 -21 42 42" aria-hidden="true">
      <circle r={outer} fill="var(--color-card)" stroke="var(--color-rule)" />
      <circle r="5.5" fill="none" stroke="var(--color-kraft)" strokeWidth="3.4" />
    </svg>
  );
}
