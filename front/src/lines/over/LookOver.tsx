import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { Pages, useLooking } from "../../floor/looking";
import { Action, Button, Key } from "../../ui/Button";
import { Note } from "../../ui/Card";
import { NumberRow } from "../../ui/Field";
import { Gone } from "../../ui/Gone";
import { useKeys } from "../../ui/keys";
import { Big, Readings } from "../../ui/Readings";
import { Section } from "../../ui/Row";
import { figure } from "../../ui/units";
import { Working } from "../../ui/Working";
import { isTickable, LineCard } from "./LineCards";
import { type Card, useLookOver } from "./useLookOver";
import { wordLook } from "../../ui/look";

const A_PAGE = 40;

/** All designs of a job with their lines at a glance. What is plain is ticked and made ready in one press. */
export default function LookOver() {
  const job = Number(useParams().job);
  return <OneJob key={job} job={job} />;
}

function OneJob({ job }: { job: number }) {
  const navigate = useNavigate();
  const looking = useLooking();
  const [all, setAll] = useState(false);
  const over = useLookOver(job, !all, looking.skip);
  /** What was ticked or left by hand; else what is plain is. */
  const [ticks, setTicks] = useState<Record<string, boolean>>({});
  const cards = over.data?.cards ?? [];
  const keyOf = (card: Card) => `${card.id} ${card.revision} ${card.key}`;
  const isTicked = (card: Card) => isTickable(card) && (ticks[keyOf(card)] ?? card.state === "plain");
  const ticked = cards.filter(isTicked);
  const tick = (card: Card) => setTicks({ ...ticks, [keyOf(card)]: !isTicked(card) });
  const ready = () => {
    if (ticked.length > 0 && !over.ready.isPending) over.ready.mutate(ticked, { onSuccess: () => looking.setSkip(0) });
  };
  const tickAll = () => {
    const on = cards.filter(isTickable).some((card) => !isTicked(card));
    setTicks({ ...ticks, ...Object.fromEntries(cards.filter(isTickable).map((card) => [keyOf(card), on])) });
  };
  const open = () => {
    const card = cards.find((one) => one.id === focused()) ?? cards.find((one) => !isTicked(one) && !one.ready);
    if (card) void navigate(`/lines/${card.id}`);
  };
  useKeys({
    Enter: ready,
    a: tickAll,
    o: open,
    ArrowRight: () => step(1, 0),
    ArrowLeft: () => step(-1, 0),
    ArrowDown: () => step(0, 1),
    ArrowUp: () => step(0, -1),
  });
  if (over.error) return <Gone error={over.error} />;
  if (!over.data) return <main className="flex-1" />;
  const { designs, waiting } = over.data;
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col overflow-y-auto px-6 pt-5 pb-6" aria-label="Lines of a job">
        <div className="flex items-start justify-between gap-4">
          <div className="min-w-0">
            <p className="text-[12px] text-slate">
              <Link to={`/floor/job/${job}`} className={wordLook}>
                The job
              </Link>{" "}
              · {over.data.customer}
            </p>
            <h1>{over.data.job}</h1>
          </div>
          <div className="flex shrink-0 gap-2">
            <Button looks aria-pressed={!all} onClick={() => (setAll(false), looking.setSkip(0))}>
              To look at
            </Button>
            <Button looks aria-pressed={all} onClick={() => (setAll(true), looking.setSkip(0))}>
              All
            </Button>
          </div>
        </div>
        {cards.length === 0 && <p className="mt-6 text-slate">{designs === 0 ? "No art belongs to this job." : "All of it is ready."}</p>}
        <ul aria-label="Designs" className="mt-4 grid grid-cols-[repeat(auto-fill,minmax(168px,1fr))] gap-2.5">
          {cards.map((card) => (
            <LineCard
              key={card.id}
              card={card}
              ticked={isTicked(card)}
              tick={() => tick(card)}
              enter={ready}
              why={over.refused.find((one) => one.id === card.id)?.words}
            />
          ))}
        </ul>
        <Pages looking={looking} size={A_PAGE} more={over.data.more} words={["Those before", "Those after"]} />
      </main>
      <Readings label="What to do">
        <div className="flex justify-between">
          <Big label="designs" value={figure(designs, 0)} />
          <Big label="ready" value={figure(designs - waiting, 0)} tone="text-go" />
          <Big label="to look at" value={figure(waiting, 0)} end />
        </div>
        <div className="mt-3 flex flex-col gap-2">
          {over.finding.progress && <Working progress={over.finding.progress} cancel={over.finding.cancel} />}
          {waiting > 0 ? (
            <Action main hint="Enter" disabled={ticked.length === 0 || over.ready.isPending} onClick={ready}>
              {ticked.length === 0 ? "Tick what is right" : `Ready for a run: ${figure(ticked.length, 0)}`}
            </Action>
          ) : (
            <Action looks main onClick={() => void navigate(`/floor/job/${job}`)}>
              On to the job
            </Action>
          )}
        </div>
        {cards.some((card) => card.state === "look" && !card.ready) && (
          <Note>What is told in amber may be cut wrong, and is not ticked. Open it, or tick it when it is right.</Note>
        )}
        <Sizeless cards={cards} over={over} />
        <Asked cards={cards} over={over} />
        <Section title="Keys">
          {KEYS.map(([key, words]) => (
            <p key={key} className="flex min-h-8 items-center justify-between border-b border-rule">
              {words} <Key>{key}</Key>
            </p>
          ))}
        </Section>
      </Readings>
    </>
  );
}

const KEYS: [string, string][] = [
  ["arrows", "From card to card"],
  ["Space", "Tick it or leave it"],
  ["A", "Tick all, none"],
  ["O", "Open it"],
];

type Several = { cards: Card[]; over: ReturnType<typeof useLookOver> };

/** What came without a size gets one, the same for all of it on this page. */
function Sizeless({ cards, over }: Several) {
  const [wide, setWide] = useState<number | null>(null);
  const sizeless = cards.filter((card) => card.state === "no size");
  if (sizeless.length === 0) return null;
  const many = sizeless.length === 1 ? "One has" : `${figure(sizeless.length, 0)} have`;
  return (
    <Section title={`${many} no size`}>
      <NumberRow
        label="Width"
        value={wide}
        least={0.5}
        why="Those on this page whose files do not say how large they are become so wide."
        onChange={setWide}
      />
      <div className="mt-2 flex">
        <Button
          disabled={wide === null || over.setWidth.isPending}
          onClick={() => wide !== null && over.setWidth.mutate({ cards: sizeless, width_mm: wide })}
        >
          Make {sizeless.length === 1 ? "it" : `all ${figure(sizeless.length, 0)}`} so wide
        </Button>
      </div>
    </Section>
  );
}

/** What the art of several asks for alike: set for all of them at once. */
function Asked({ cards, over }: Several) {
  const groups = new Map<string, Card[]>();
  for (const card of cards.filter((one) => one.keys.length > 0 && !one.ready))
    groups.set(card.keys.join(), [...(groups.get(card.keys.join()) ?? []), card]);
  if (groups.size === 0) return null;
  return (
    <Section title="Their art asks for">
      {[...groups].map(([keys, asking]) => (
        <div key={keys} className="border-b border-rule pt-1 pb-2">
          {asking[0]?.asks.map((words) => (
            <p key={words} className="py-0.5">
              {words}
            </p>
          ))}
          {asking.length > 1 && <p className="text-[12px] text-slate">So {asking[0]?.name}; the others alike.</p>}
          <div className="mt-1 flex">
            <Button disabled={over.setAsAsked.isPending} onClick={() => over.setAsAsked.mutate(asking)}>
              Set it so: {asking.length === 1 ? (asking[0]?.name ?? "").slice(0, 24) : `${figure(asking.length, 0)} designs`}
            </Button>
          </div>
        </div>
      ))}
    </Section>
  );
}

/** The design whose card has the keys. */
const focused = () => Number((document.activeElement as HTMLElement | null)?.dataset.card) || null;

/** The keys go to the next card across or down. */
function step(across: number, down: number) {
  const there = [...document.querySelectorAll<HTMLElement>("[data-card]")];
  const at = there.findIndex((one) => one === document.activeElement);
  const top = there[0]?.getBoundingClientRect().top;
  const columns = Math.max(1, there.filter((one) => one.getBoundingClientRect().top === top).length);
  const next = at < 0 ? 0 : at + across + down * columns;
  there[Math.max(0, Math.min(there.length - 1, next))]?.focus();
}
