import type { Schemas } from "../api/client";
import { Action, FileButton } from "../ui/Button";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { dayAndYear } from "../ui/moments";
import { Section } from "../ui/Row";
import { Working } from "../ui/Working";
import { type Card, type CardInHand, CUT, FOR_A_TOOL, isLadder, machinesFor, PRINTED, useTestCard, useTestCards } from "./cards";
import { CutCardPicture } from "./CutCardPicture";
import { rim } from "../ui/look";

type TilesProps = { shelf: Schemas["ShelfShown"]; chosen: number | null; choose: (index: number) => void; only?: string[] };

/** One tile for each card that there is a machine for, with what it set last. */
export function TestCardTiles({ shelf, chosen, choose, only }: TilesProps) {
  const { data } = useTestCards();
  if (!data) return null;
  return (
    <section className={only ? "" : "mb-6"} aria-label="Test cards">
      {!only && <h2 className="mb-2.5">Test cards</h2>}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(200px,1fr))] gap-3">
        {data.cards.map((card, index) => {
          if (only ? !only.includes(card.name) : machinesFor(card.name, shelf).machines.length === 0) return null;
          const last = data.history.find((one) => one.card === card.name);
          return (
            <button
              type="button"
              key={card.name}
              aria-pressed={chosen === index}
              onClick={() => choose(index)}
              className={`flex h-[84px] flex-col justify-center rounded-[7px] border bg-paper px-3 text-left ${rim(chosen === index)}`}
            >
              <span className="leading-4 font-semibold">{card.title}</span>
              <span className="mt-1 line-clamp-2 text-[12px] text-slate">{last ? last.words : "not read yet"}</span>
            </button>
          );
        })}
      </div>
    </section>
  );
}

/** What a card asks, and what became of it before. */
export function TestCardReading({ index, shelf }: { index: number; shelf: Schemas["ShelfShown"] }) {
  const { data } = useTestCards();
  const card = data?.cards[index];
  if (!data || !card || !machinesFor(card.name, shelf).machines[0] || !shelf.stock[0]) return null;
  const history = data.history.filter((one) => one.card === card.name);
  return <Reading key={card.name} card={card} history={history} shelf={shelf} />;
}

type ReadingProps = { card: Card; history: Schemas["ReadingEntered"][]; shelf: Schemas["ShelfShown"] };

function Reading({ card, history, shelf }: ReadingProps) {
  const hand = useTestCard(card, machinesFor(card.name, shelf), shelf);
  const ladder = card.questions.filter(({ name }) => isLadder(name));
  return (
    <>
      <h1>{card.title}</h1>
      <p className="mt-1 text-slate">{card.what}</p>
      <OnWhat hand={hand} />
      {ladder.length > 0 && (
        <Section title="As it is made">
          {ladder.map((question) => (
            <Asked key={question.name} hand={hand} question={question} />
          ))}
        </Section>
      )}
      {PRINTED.has(card.name) && <OnThePrinter hand={hand} />}
      {CUT.has(card.name) && <OnTheCutter hand={hand} />}
      <Section title="Read off the card">
        {card.questions
          .filter(({ name }) => !isLadder(name))
          .map((question) => (
            <Asked key={question.name} hand={hand} question={question} />
          ))}
      </Section>
      <div className="mt-3">
        <Action main onClick={() => hand.enter.mutate()} disabled={hand.enter.isPending}>
          Set by this card
        </Action>
      </div>
      {history.length > 0 && <Before history={history} shelf={shelf} />}
    </>
  );
}

function OnWhat({ hand }: { hand: CardInHand }) {
  const { card, label, machines, machine, setMachine, stocks, stock, setStock, kind, setKind } = hand;
  return (
    <Section title="On">
      <ChoiceRow
        label={label}
        why="The machine the card was made on."
        value={machine}
        choices={machines.map(({ id, name }) => [String(id), name])}
        onChange={setMachine}
      />
      <ChoiceRow
        label="Stock"
        why="What the card lay on: its tools are set for this stock only."
        value={stock}
        choices={stocks.map(({ id, name }) => [String(id), name])}
        onChange={setStock}
      />
      {FOR_A_TOOL.has(card.name) && (
        <ChoiceRow
          label="Line"
          why="The kind of line whose tool was tried."
          value={kind}
          choices={[
            ["kiss", "kiss"],
            ["through", "through"],
            ["perforation", "perforation"],
          ]}
          onChange={setKind}
        />
      )}
    </Section>
  );
}

function Asked({ hand: { readings, setReading }, question }: { hand: CardInHand; question: Card["questions"][number] }) {
  return (
    <NumberRow
      label={question.words}
      kind={question.unit === "mm" ? "length" : "plain"}
      suffix={question.unit === "mm" ? undefined : question.unit}
      decimals={question.unit === "mm" ? 2 : Number.isInteger(readings[question.name]) ? 0 : 2}
      step={question.unit === "mm" ? 0.1 : 1}
      least={question.least}
      most={question.most}
      value={readings[question.name] ?? 0}
      why={`From ${question.least} to ${question.most} ${question.unit}.`}
      onChange={(value) => setReading(question.name, value)}
    />
  );
}

const CUT_WORDS: Record<string, string> = {
  "print-to-cut": "Cut rings round the marks",
  "own knife, marks": "It is back in the printer: cut the rings",
};
const NOT_SCANNED = new Set(["own knife", "own knife, marks"]);

function OnTheCutter({ hand }: { hand: CardInHand }) {
  const { card, cutting, waitsFor, cutCard, cut, reading, readings } = hand;
  return (
    <div className="mt-3 flex flex-col gap-2">
      {cutting.progress ? (
        <Working progress={cutting.progress} cancel={cutting.cancel} stopWords="Hold" />
      ) : waitsFor ? (
        <PutIn tool={waitsFor} on={() => cutCard(waitsFor)} then="cut the card" />
      ) : (
        <Action onClick={() => cutCard()}>
          {CUT_WORDS[card.name] ?? (hand.inPrinter ? "Bare stock lies under its knife: cut" : `Cut this card on ${hand.stockName}`)}
        </Action>
      )}
      {cut?.can_read &&
        (reading.progress ? <Working progress={reading.progress} /> : <Action onClick={hand.readByCamera}>Read it by camera</Action>)}
      {cut && <CutCardPicture card={card} cut={cut} seen={hand.simulated} readings={readings} read={hand.setReading} />}
    </div>
  );
}

/** What hands put into the holder first. */
function PutIn({ tool, on, then }: { tool: string; on: () => void; then: string }) {
  return (
    <>
      <p
        role="status"
        aria-label="Change of tool"
        className="rounded-[6px] border-2 border-check bg-check-wash p-3 text-[18px] font-semibold"
      >
        Put in the {tool}
      </p>
      <Action main onClick={on}>
        The {tool} is in: {then}
      </Action>
    </>
  );
}

function OnThePrinter({ hand }: { hand: CardInHand }) {
  const { printing, scan, scanning, reading, waitsFor } = hand;
  const withKnife = hand.card.name === "own knife";
  return (
    <div className="mt-3 flex flex-col gap-2">
      {printing.progress ? (
        <Working progress={printing.progress} />
      ) : waitsFor && withKnife ? (
        <PutIn tool={waitsFor} on={() => hand.printCard(waitsFor)} then="print and cut" />
      ) : (
        <Action onClick={() => hand.printCard()}>{withKnife ? "Print and cut this card" : `Print this card on ${hand.stockName}`}</Action>
      )}
      {!hand.printsAreSimulated && !NOT_SCANNED.has(hand.card.name) && (
        <FileButton accept="image/png,image/jpeg,image/tiff" take={(file) => scanning.mutate(file)}>
          {scanning.isPending ? "Taking the scan" : "Give its scan (PNG, JPEG or TIFF)"}
        </FileButton>
      )}
      {scan &&
        (reading.progress ? <Working progress={reading.progress} /> : <Action onClick={hand.readScan}>Read it from the scan</Action>)}
      {scan && (
        <a
          href={`/api/test-cards/scans/${scan.scan}`}
          target="_blank"
          rel="noreferrer"
          className="block rounded-[6px] border border-rule bg-white p-1"
        >
          <img src={`/api/test-cards/scans/${scan.scan}`} alt="The print under the scanner" className="w-full" />
          <span className="block px-1 text-[12px] font-semibold text-pine underline">Open it at full size</span>
        </a>
      )}
    </div>
  );
}

function Before({ history, shelf }: Pick<ReadingProps, "history" | "shelf">) {
  const machine = (one: Schemas["ReadingEntered"]) =>
    one.printer_id === null
      ? shelf.cutter.find(({ id }) => id === one.cutter_id)?.name
      : shelf.printer.find(({ id }) => id === one.printer_id)?.name;
  return (
    <Section title="Before">
      <ul className="text-[12px]" aria-label="Earlier readings">
        {history.map((one) => (
          <li key={one.id} className="border-b border-rule py-1">
            <span className="text-slate">
              {dayAndYear(one.at)} · {machine(one)} · {shelf.stock.find(({ id }) => id === one.stock_id)?.name}
            </span>
            <br />
            {one.words}
          </li>
        ))}
      </ul>
    </Section>
  );
}
