import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useOpen, useShelf } from "../../api/useShelf";
import { Action, TextButton } from "../../ui/Button";
import { Gone } from "../../ui/Gone";
import { Readings } from "../../ui/Readings";
import { Section } from "../../ui/Row";
import { TestCardReading, TestCardTiles } from "../TestCards";
import { ShelfFileIn } from "../ShelfFile";
import { CutterQuestions } from "./CutterQuestions";
import { FilmQuestions, StockQuestions } from "./MaterialQuestions";
import { PrinterQuestions } from "./PrinterQuestions";
import { cutters, EXPECT, findingOf, type Place, type Shelf } from "./shop";
import { WayOfWork } from "./WayOfWork";

const EMPTY_PLACE = "border border-dashed border-table-edge hover:border-slate";

/** The cards that are worth reading before the first work, in this order: each needs what the one before it set. */
const FIRST_CARDS = ["force", "knife", "print-to-cut"];

/** The shop as the way of the work: what stands there, and what it still lacks, in any order. */
export default function SetUp() {
  const { shelf, error } = useShelf();
  const { data: open } = useOpen();
  if (error) return <Gone error={error} />;
  if (!shelf || !open) return <main className="flex-1" />;
  return <TheWay shelf={shelf} open={open} />;
}

function TheWay({ shelf, open }: { shelf: Shelf; open: Schemas["OpenShown"][] }) {
  // what is open as the page comes: an answer closes its question, and the rest of it is asked in the same place
  const [place, choose] = useState<Place | "test" | "file">(open[0]?.place ?? "test");
  const [card, setCard] = useState<number | null>(null);
  const next = open.find((one) => one.place !== place);
  const answered = place !== "test" && place !== "file" && open.every((one) => one.place !== place);
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col overflow-y-auto p-6 pt-5" aria-label="Set up the shop">
        <h1 className="text-[22px] leading-7 font-bold">Your shop</h1>
        <p className="mt-1 mb-4 text-slate">
          Put on it what you have, in any order. Leave and come back; everything can be changed on the Shelf.
        </p>
        <WayOfWork shelf={shelf} chosen={place} choose={choose} />
        <Questions shelf={shelf} place={place} />
        {answered && next && (
          <div className="mt-3 w-[240px]">
            <Action main onClick={() => choose(next.place)}>
              Next: {next.what}
            </Action>
          </div>
        )}
        {place === "test" ? (
          <TestSheet shelf={shelf} card={card} choose={setCard} />
        ) : (
          <TestLater shelf={shelf} choose={() => choose("test")} />
        )}
      </main>
      <Readings label="What is open">
        {place === "test" && card !== null ? (
          <TestCardReading index={card} shelf={shelf} />
        ) : (
          <StillOpen shelf={shelf} open={open} choose={choose} fromFile={place === "file"} />
        )}
      </Readings>
    </>
  );
}

const canTest = (shelf: Shelf) => shelf.cutter.length > 0 && shelf.stock.length > 0;

function TestSheet({ shelf, card, choose }: { shelf: Shelf; card: number | null; choose: (card: number) => void }) {
  return (
    <section className="mt-4 rounded-[8px] border border-pine bg-paper p-5" aria-label="A test sheet">
      <h2>A test</h2>
      <p className="mt-1 mb-3 text-slate">
        First the force on bare stock, then the offset of the knife, then print to cut. Each says at the right what to do and what it sets.
      </p>
      {canTest(shelf) ? (
        <TestCardTiles shelf={shelf} chosen={card} choose={choose} only={FIRST_CARDS} />
      ) : (
        <p>A test needs a cutter and a stock. Put them on first.</p>
      )}
    </section>
  );
}

function TestLater({ shelf, choose }: { shelf: Shelf; choose: () => void }) {
  return (
    <button
      type="button"
      onClick={choose}
      className={`mt-4 flex min-h-[46px] items-center justify-between gap-4 rounded-[8px] px-5 text-left ${EMPTY_PLACE}`}
    >
      <span>
        <b className="font-semibold">Then a test:</b> force on bare stock, knife offset, print to cut. It says what to set.
      </span>
      <span className="shrink-0 text-slate">{canTest(shelf) ? "now, or later" : "when cutter and stock are there"}</span>
    </button>
  );
}

function Questions({ shelf, place }: { shelf: Shelf; place: Place | "test" | "file" }) {
  if (place === "printer") return <PrinterQuestions shelf={shelf} />;
  if (place === "stock") return <StockQuestions shelf={shelf} />;
  if (place === "film") return <FilmQuestions shelf={shelf} />;
  if (place === "cutter") return <CutterQuestions shelf={shelf} />;
  return null;
}

type OpenProps = { shelf: Shelf; open: Schemas["OpenShown"][]; choose: (place: Place | "test" | "file") => void; fromFile: boolean };

function StillOpen({ shelf, open, choose, fromFile }: OpenProps) {
  const cutter = cutters(shelf).find((one) => !one.away);
  return (
    <>
      <Section title="Still open">
        {open.length === 0 && <p>Nothing: the shop can work.</p>}
        {open.map((one) => (
          <button
            key={one.what}
            type="button"
            onClick={() => choose(one.place)}
            className="flex min-h-9 w-full items-center justify-between gap-3 border-b border-rule text-left hover:text-pine"
          >
            <span>{one.what}</span>
            <b className="font-semibold text-pine">{one.words}</b>
          </button>
        ))}
      </Section>
      <Section title="What to expect">
        {cutter ? <p>{EXPECT[findingOf(cutter)]}</p> : <p>Without a cutter runs are only printed: no marks, no lines are asked for.</p>}
        {shelf.roll.some((roll) => !roll.away) && shelf.print_mode.length === 0 && (
          <p className="mt-2">Time and ink of a run are told once a print mode of this stock is on the Shelf.</p>
        )}
      </Section>
      <Section title="Or">
        {fromFile ? (
          <ShelfFileIn done={() => choose(open[0]?.place ?? "test")} />
        ) : (
          <TextButton onClick={() => choose("file")}>Take a shop from a file</TextButton>
        )}
      </Section>
    </>
  );
}
