import { useShelf } from "../../api/useShelf";
import { Action } from "../../ui/Button";
import { LengthOf, NameOf, Panel, Question, useInHand, useSet } from "./parts";
import { filmIsDecided, type Shelf } from "./shop";

const GROUNDS = [
  { value: "white", title: "White", words: "or nearly so" },
  { value: "clear", title: "Clear", words: "marks get white under them" },
  { value: "dark", title: "Dark", words: "marks get white under them" },
] as const;

/** A stock, and the roll of it that is on hand. */
export function StockQuestions({ shelf }: { shelf: Shelf }) {
  const { there, one, choose, put } = useInHand("stock", shelf.stock);
  const set = useSet("stock", one);
  const roll = shelf.roll.find((row) => row.stock_id === one?.id && !row.away);
  const setRoll = useSet("roll", roll);
  const { add } = useShelf();
  const putOn = () => put({ name: "Stock" }, (stock_id) => add.mutate({ kind: "roll", stock_id }));
  return (
    <Panel rows={there} chosen={one} choose={choose} words="A stock" more={{ words: "One more stock", add: putOn }}>
      {!one && (
        <div className="mt-3 w-[240px]">
          <Action main onClick={putOn}>
            Put a stock on
          </Action>
        </div>
      )}
      {one && (
        <>
          <div className="mt-3 flex flex-wrap gap-3">
            <NameOf one={one} set={set} />
            <LengthOf label="How wide it is" value={one.width_mm} set={(width_mm) => set({ width_mm })} />
            {roll ? (
              <LengthOf
                label="How much of it is on hand"
                value={roll.remaining_mm}
                least={1}
                set={(left) => setRoll({ remaining_mm: left, length_mm: Math.max(left, roll.length_mm) }, "told at set-up")}
              />
            ) : (
              <div className="w-[200px] self-end">
                <Action onClick={() => add.mutate({ kind: "roll", stock_id: one.id })}>Put a roll of it on</Action>
              </div>
            )}
          </div>
          <Question
            title="What shows where nothing is printed?"
            answers={GROUNDS}
            value={one.ground}
            onChange={(ground) => set({ ground })}
          />
        </>
      )}
    </Panel>
  );
}

const FILMS = [
  { value: "film", title: "Film", words: "prints are laminated" },
  { value: "none", title: "No film", words: "from the printer to the cutter" },
] as const;

/** Film, or none: none is said of every stock that is there. */
export function FilmQuestions({ shelf }: { shelf: Shelf }) {
  const { there, one, choose, put } = useInHand("laminator", shelf.laminator);
  const set = useSet("laminator", one);
  const { change } = useShelf();
  const allTake = (takes_film: boolean) => shelf.stock.forEach(({ id }) => change.mutate({ kind: "stock", id, changes: { takes_film } }));
  const answer = (next: "film" | "none") => {
    if (next === "film") {
      allTake(true);
      if (!one) put({ name: "Laminator" });
    } else {
      allTake(false);
      if (one) set({ away: true });
    }
  };
  return (
    <Panel rows={there} chosen={one} choose={choose} words="Film">
      <Question title="Do prints get film?" answers={FILMS} value={one ? "film" : filmIsDecided(shelf) ? "none" : null} onChange={answer} />
      {shelf.stock.length === 0 && !one && <p className="mt-3 text-slate">That there is none is kept with the stocks: put one on first.</p>}
      {one && (
        <div className="mt-4">
          <LengthOf label="How wide the film is" value={one.film_width_mm} set={(film_width_mm) => set({ film_width_mm })} />
          <p className="mt-2 text-slate">A stock that takes none is told so on the Shelf.</p>
        </div>
      )}
    </Panel>
  );
}
