import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, type Schemas, told } from "../api/client";
import { Action, ChoiceRow, NumberRow, sayProblem, Section } from "../ui/Readings";

type Card = Schemas["CardsShown"]["cards"][number];
const FOR_A_TOOL = new Set(["force", "knife"]);

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
  const enter = useMutation({
    mutationFn: () => told(api.POST("/api/test-cards", { body: { card: card.name, cutter_id: Number(cutter), stock_id: Number(stock), kind, readings } })),
    onSuccess: (fresh) => {
      queries.setQueryData(["test cards"], fresh);
      void queries.invalidateQueries({ queryKey: ["shelf"] });
      toast.success(fresh.history[0]?.words ?? "Kept.");
    },
    onError: sayProblem,
  });
  return (
    <>
      <h1>{card.title}</h1>
      <p className="mt-1 text-slate">{card.what}</p>
      <Section title="On">
        <ChoiceRow label="Cutter" why="The machine the card was cut on." value={cutter} choices={cutters.map(({ id, name }) => [String(id), name])} onChange={setCutter} />
        <ChoiceRow label="Stock" why="What the card lay on: its tools are set for this stock only." value={stock} choices={stocks.map(({ id, name }) => [String(id), name])} onChange={setStock} />
        {FOR_A_TOOL.has(card.name) && <ChoiceRow label="Line" why="The kind of line whose tool was tried." value={kind} choices={[["kiss", "kiss"], ["through", "through"], ["perforation", "perforation"]]} onChange={setKind} />}
      </Section>
      <Section title="Read off the card">
        {card.questions.map((question) => (
          <NumberRow key={question.name} label={question.words} kind={question.unit === "mm" ? "length" : "plain"} suffix={question.unit === "mm" ? undefined : question.unit} decimals={question.unit === "mm" ? 2 : 0} step={question.unit === "mm" ? 0.1 : 1} least={question.least} most={question.most} value={readings[question.name] ?? 0} why={`From ${question.least} to ${question.most} ${question.unit}.`} onChange={(value) => setReadings({ ...readings, [question.name]: value })} />
        ))}
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
