import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, type Schemas, told } from "../api/client";
import { type Found, useTask } from "../api/tasks";
import { Action, ChoiceRow, NumberRow, sayProblem, Section, Working } from "../ui/Readings";

type Card = Schemas["CardsShown"]["cards"][number];
const FOR_A_TOOL = new Set(["force", "knife"]);
const CUT = new Set(["force", "knife", "sensor", "feed", "print-to-cut"]);
const PRINTED = new Set(["nozzles", "two-way"]);
/** A card that lies on the cutter: where its steps are, in mm, and what part of the table its picture shows. */
type CutCard = Found<"card"> & { made: number };
/** What of a step is shown enlarged: how wide, and how far from its middle. Of a square the corner tells. */
const CROPS: Record<string, { mm: number; off: number }> = { knife: { mm: 5, off: 6 }, force: { mm: 17, off: 0 } };
const CROP_PX = 136;
/** Readings that are the number of a step, in a word. */
const OF_A_STEP: Record<string, string> = { best: "sharpest", lifts: "lifts", marks: "marks the liner" };
const isLadder = (name: string) => name.startsWith("first_") || name.startsWith("step_") || name === "told_mm" || name === "nozzles";

export function useTestCards() {
  return useQuery({ queryKey: ["test cards"], queryFn: () => told(api.GET("/api/test-cards")) });
}

/** One tile a card, with what it set last. */
export function TestCardTiles({ chosen, choose }: { chosen: number | null; choose: (index: number) => void }) {
  const { data } = useTestCards();
  if (!data) return null;
  return (
    <section className="mb-6" aria-label="Test cards">
      <h2 className="mb-2.5">Test cards</h2>
      <div className="grid grid-cols-4 gap-3">
        {data.cards.map((card, index) => {
          const last = data.history.find((one) => one.card === card.name);
          return (
            <button type="button" key={card.name} aria-pressed={chosen === index} onClick={() => choose(index)} className={`flex h-[84px] flex-col justify-center rounded-[7px] border bg-paper px-3 text-left ${chosen === index ? "border-2 border-pine" : "border-rule hover:border-slate"}`}>
              <span className="leading-4 font-semibold">{card.title}</span>
              <span className="mt-1 line-clamp-2 text-[12px] text-slate">{last ? last.words : "not read yet"}</span>
            </button>
          );
        })}
      </div>
    </section>
  );
}

type ShelfRow = { id: number; name: string };

/** What a card asks, and what became of it before. */
export function TestCardReading({ index, cutters, stocks }: { index: number; cutters: ShelfRow[]; stocks: ShelfRow[] }) {
  const { data } = useTestCards();
  const card = data?.cards[index];
  if (!data || !card || !cutters[0] || !stocks[0]) return null;
  return <Reading key={card.name} card={card} history={data.history.filter((one) => one.card === card.name)} cutters={cutters} stocks={stocks} />;
}

function Reading({ card, history, cutters, stocks }: { card: Card; history: Schemas["ReadingEntered"][]; cutters: ShelfRow[]; stocks: ShelfRow[] }) {
  const queries = useQueryClient();
  const [readings, setReadings] = useState<Record<string, number>>(Object.fromEntries(card.questions.map((question) => [question.name, question.usual])));
  const [cutter, setCutter] = useState(String(cutters[0]?.id));
  const [stock, setStock] = useState(String(stocks[0]?.id));
  const [kind, setKind] = useState<"kiss" | "through" | "perforation">("kiss");
  const asked = { card: card.name, cutter_id: Number(cutter), stock_id: Number(stock), kind, readings };
  const [cut, setCut] = useState<CutCard | null>(null);
  const [waitsFor, setWaitsFor] = useState("");
  const cutCard = (ready?: string) => void cutting.start("Cutting the card", () => told(api.POST("/api/test-cards/cut", { body: { ...asked, ...(ready ? { ready } : {}) } })));
  const cutting = useTask("card", `card ${card.name}`, (result) => {
    setWaitsFor(result.waits_for);
    setCut(result.state === "cut" ? { ...result, made: Date.now() } : null);
  });
  const reading = useTask("readings", `card reading ${card.name}`, (result) => setReadings(result.readings));
  const [print, setPrint] = useState<string | null>(null);
  const printing = useTask("card print", `card print ${card.name}`, (result) => setPrint(result.print));
  const enter = useMutation({
    mutationFn: () => told(api.POST("/api/test-cards", { body: asked })),
    onSuccess: (fresh) => {
      queries.setQueryData(["test cards"], fresh);
      void queries.invalidateQueries({ queryKey: ["shelf"] });
      toast.success(fresh.history[0]?.words ?? "Kept.");
    },
    onError: sayProblem,
  });
  const asks = (question: Card["questions"][number]) => (
    <NumberRow key={question.name} label={question.words} kind={question.unit === "mm" ? "length" : "plain"} suffix={question.unit === "mm" ? undefined : question.unit} decimals={question.unit === "mm" ? 2 : Number.isInteger(readings[question.name]) ? 0 : 2} step={question.unit === "mm" ? 0.1 : 1} least={question.least} most={question.most} value={readings[question.name] ?? 0} why={`From ${question.least} to ${question.most} ${question.unit}.`} onChange={(value) => setReadings({ ...readings, [question.name]: value })} />
  );
  return (
    <>
      <h1>{card.title}</h1>
      <p className="mt-1 text-slate">{card.what}</p>
      <Section title="On">
        <ChoiceRow label="Cutter" why="The machine the card was cut on." value={cutter} choices={cutters.map(({ id, name }) => [String(id), name])} onChange={setCutter} />
        <ChoiceRow label="Stock" why="What the card lay on: its tools are set for this stock only." value={stock} choices={stocks.map(({ id, name }) => [String(id), name])} onChange={setStock} />
        {FOR_A_TOOL.has(card.name) && <ChoiceRow label="Line" why="The kind of line whose tool was tried." value={kind} choices={[["kiss", "kiss"], ["through", "through"], ["perforation", "perforation"]]} onChange={setKind} />}
      </Section>
      {card.questions.some(({ name }) => isLadder(name)) && <Section title="As it is made">{card.questions.filter(({ name }) => isLadder(name)).map(asks)}</Section>}
      {CUT.has(card.name) && (
        <div className="mt-3 flex flex-col gap-2">
          {cutting.progress ? <Working progress={cutting.progress} cancel={cutting.cancel} stopWords="Hold" /> : waitsFor ? (
            <>
              <p role="status" aria-label="Change of tool" className="rounded-[6px] border-2 border-check bg-[#fbf3df] p-3 text-[18px] font-semibold">Put in the {waitsFor}</p>
              <Action main onClick={() => cutCard(waitsFor)}>The {waitsFor} is in: cut the card</Action>
            </>
          ) : <Action onClick={() => cutCard()}>{card.name === "print-to-cut" ? "Cut rings round the marks" : `Cut this card on ${stocks.find(({ id }) => String(id) === stock)?.name ?? "the stock"}`}</Action>}
          {cut?.can_read && (reading.progress ? <Working progress={reading.progress} /> : <Action onClick={() => void reading.start("Looking at the card", () => told(api.POST("/api/test-cards/read", { body: asked })))}>Read it by camera</Action>)}
          {cut && <CutCardPicture card={card} cut={cut} readings={readings} read={(name, step) => setReadings({ ...readings, [name]: step })} />}
        </div>
      )}
      {PRINTED.has(card.name) && (
        <div className="mt-3 flex flex-col gap-2">
          {printing.progress ? <Working progress={printing.progress} /> : <Action onClick={() => void printing.start("Printing the card", () => told(api.POST("/api/test-cards/print", { body: asked })))}>Print this card on {stocks.find(({ id }) => String(id) === stock)?.name ?? "the stock"}</Action>}
          {print && (reading.progress ? <Working progress={reading.progress} /> : <Action onClick={() => void reading.start("Looking at the scan", () => told(api.POST("/api/test-cards/prints/{name}/read", { params: { path: { name: print } }, body: asked })))}>Read it from the scan</Action>)}
          {print && (
            <a href={`/api/test-cards/prints/${print}/scan`} target="_blank" rel="noreferrer" className="block rounded-[6px] border border-rule bg-white p-1">
              <img src={`/api/test-cards/prints/${print}/scan`} alt="The print under the scanner" className="w-full" />
              <span className="block px-1 text-[12px] font-semibold text-pine underline">Open it at full size</span>
            </a>
          )}
        </div>
      )}
      <Section title="Read off the card">
        {card.questions.filter(({ name }) => !isLadder(name)).map(asks)}
      </Section>
      <div className="mt-3">
        <Action main onClick={() => enter.mutate()} disabled={enter.isPending}>Set by this card</Action>
      </div>
      {history.length > 0 && (
        <Section title="Before">
          <ul className="text-[12px]" aria-label="Earlier readings">
            {history.map((one) => (
              <li key={one.id} className="border-b border-rule py-1">
                <span className="text-slate">{new Date(one.at).toLocaleDateString()} · {stocks.find(({ id }) => id === one.stock_id)?.name}</span>
                <br />
                {one.words}
              </li>
            ))}
          </ul>
        </Section>
      )}
    </>
  );
}

/** Every step of a ladder enlarged, as the cutter's camera shows it, with what an eye may say of it. A card without a ladder is read by rule or camera. */
function CutCardPicture({ card, cut, readings, read }: { card: Card; cut: CutCard; readings: Record<string, number>; read: (name: string, step: number) => void }) {
  const [left, bottom, right, top] = cut.box;
  const crop = CROPS[card.name];
  if (!crop) return <p className="text-slate">It lies on the cutter. Measure it, or let the camera read it.</p>;
  const scale = CROP_PX / crop.mm;
  return (
    <ol className="grid grid-cols-2 gap-x-2.5 gap-y-3" aria-label="Steps of the card">
      {cut.steps.map((step, index) => (
        <li key={step.words}>
          <div
            role="img"
            aria-label={`Step ${index + 1}, ${step.words}`}
            className="rounded-[6px] border border-rule bg-white"
            style={{
              width: CROP_PX,
              height: CROP_PX,
              backgroundImage: `url(/api/test-cards/picture?${cut.made})`,
              backgroundSize: `${(right - left) * scale}px ${(top - bottom) * scale}px`,
              backgroundPosition: `${-(step.x + crop.off - left - crop.mm / 2) * scale}px ${-(top - step.y - crop.off - crop.mm / 2) * scale}px`,
            }}
          />
          <div className="mt-1 flex flex-wrap items-center gap-x-1.5 text-[12px]">
            <b className="font-semibold">{index + 1}</b> {step.words}
          </div>
          <div className="mt-0.5 flex gap-1">
            {card.questions.filter(({ name }) => name in OF_A_STEP).map(({ name }) => {
              const chosen = Math.round(readings[name] ?? 0) === index + 1;
              return (
                <button key={name} type="button" aria-pressed={chosen} onClick={() => read(name, index + 1)} className={`h-7 rounded-[5px] border px-1.5 text-[12px] ${chosen ? "border-pine bg-pine font-semibold text-white" : "border-rule bg-white hover:border-slate"}`}>
                  {OF_A_STEP[name]}
                </button>
              );
            })}
          </div>
        </li>
      ))}
    </ol>
  );
}
