import { useState } from "react";
import { type ChangeWeb, useFinishers, type Web, type WebDocument } from "../../api/useWeb";
import { Button, Way } from "../../ui/Button";
import { ChoiceRow } from "../../ui/Choice";
import { whiteLook } from "../../ui/look";
import { RangeField } from "../../ui/RangeField";
import { Count, Free } from "./rows";

type Props = { web: Web; change: ChangeWeb };
type Rules = NonNullable<WebDocument["mark"]>["rules"];

/** A box of 3 to 6 mm on the first edge, 5 to 20 mm from the left: any finisher's own rules are typed over it. */
const FIRST_RULES: Rules = {
  width_mm: [3, 6],
  height_mm: [3, 6],
  left_mm: [5, 20],
  bottom_mm: [0, 0],
  bottom_from: "bottom",
  right_of_mark_mm: 1,
  not_below_mark: false,
  right_free_mm: null,
  top_free_mm: null,
  longest_repeat_mm: null,
};
const BOOK = "As the finisher's book says.";
const between = ([least = 0, most]: number[]): [number, number] | [number] => (most === undefined ? [least] : [least, most]);
const PLAIN = { x_mm: null, y_mm: null, width_mm: null, height_mm: null };

export function Mark({ web, change }: Props) {
  const { mark } = web.document;
  const put = (rules: Partial<Rules>) => mark && change("rules of the mark", { mark: { ...mark, rules: { ...mark.rules, ...rules } } });
  return (
    <>
      <ChoiceRow
        label="Mark"
        value={mark ? "one" : "none"}
        choices={[
          ["none", "none"],
          ["one", "a solid box"],
        ]}
        why="By it a finisher knows where the repeat begins. The rules below are those of the finisher: type them as its book says."
        onChange={(value) => change("black mark", { mark: value === "one" ? { rules: FIRST_RULES, every: 1, ...PLAIN } : null })}
      />
      {mark && (
        <>
          <Finishers
            rules={mark.rules}
            use={(name, rules) => change(`mark as ${name} wants it`, { mark: { ...PLAIN, every: mark.every, rules } })}
          />
          <Count
            label="One for so many repeats"
            value={mark.every}
            most={100}
            why="The page is as many repeats long, and so is what is cut from mark to mark."
            put={(every) => change("repeats a mark", { mark: { ...mark, every } })}
          />
          <RangeField label="Its width" why={BOOK} value={mark.rules.width_mm} save={(next) => put({ width_mm: between(next) })} />
          <RangeField label="Its height" why={BOOK} value={mark.rules.height_mm} save={(next) => put({ height_mm: between(next) })} />
          <RangeField
            label="From the left edge"
            why={BOOK}
            none="no rule"
            value={mark.rules.left_mm ?? []}
            save={(next) => put({ left_mm: next.length > 0 ? between(next) : null })}
          />
          <ChoiceRow
            label="Its bottom is measured"
            value={mark.rules.bottom_from}
            choices={[
              ["bottom", "from the first edge"],
              ["top", "from the end of the page"],
            ]}
            why="Which edge of the page the finisher measures from."
            onChange={(bottom_from) => put({ bottom_from })}
          />
          <RangeField
            label="To its bottom"
            why={BOOK}
            none="no rule"
            value={mark.rules.bottom_mm ?? []}
            save={(next) => put({ bottom_mm: next.length > 0 ? between(next) : null })}
          />
          <Free
            label="Art keeps right of it by"
            value={mark.rules.right_of_mark_mm}
            zero="no rule"
            why="The least between the mark and the art beside it."
            put={(right_of_mark_mm) => put({ right_of_mark_mm })}
          />
          <ChoiceRow
            label="Art below its top"
            value={mark.rules.not_below_mark ? "no" : "yes"}
            choices={[
              ["yes", "may stand"],
              ["no", "may not stand"],
            ]}
            why="Some finishers want the art to begin at the top of the mark or above it."
            onChange={(value) => put({ not_below_mark: value === "no" })}
          />
          <Free
            label="Art off the right edge by"
            value={mark.rules.right_free_mm}
            zero="no rule"
            why="The least between the art and the right edge of the stock."
            put={(right_free_mm) => put({ right_free_mm })}
          />
          <Free
            label="Art off the end by"
            value={mark.rules.top_free_mm}
            zero="no rule"
            why="The least between the art and the end of the page."
            put={(top_free_mm) => put({ top_free_mm })}
          />
          <Free
            label="Longest repeat"
            value={mark.rules.longest_repeat_mm}
            zero="no rule"
            why="What the finisher reaches from mark to mark."
            put={(longest_repeat_mm) => put({ longest_repeat_mm })}
          />
        </>
      )}
    </>
  );
}

/** Rules that are kept under the shop's own names: one press uses them. */
function Finishers({ rules, use }: { rules: Rules; use: (name: string, rules: Rules) => void }) {
  const { finishers, keep } = useFinishers();
  const [called, setCalled] = useState("");
  const put = () => called.trim() && keep.mutate({ name: called.trim(), rules }, { onSuccess: () => setCalled("") });
  return (
    <div className="border-b border-rule py-2">
      {finishers.map((one) => (
        <div key={one.id} className="mb-1.5 flex items-center gap-2.5">
          <button
            type="button"
            className={`h-9 min-w-0 flex-1 truncate rounded-[5px] px-2.5 text-left font-semibold ${whiteLook}`}
            onClick={() => use(one.name, one.rules)}
          >
            As {one.name} wants it
          </button>
          <Way to={`/shelf?finisher=${one.id}`}>On the Shelf</Way>
        </div>
      ))}
      <div className="flex items-end gap-1.5">
        <label className="min-w-0 flex-1 text-[12px] text-slate">
          Keep these rules for the finisher called
          <input
            value={called}
            maxLength={120}
            onChange={(event) => setCalled(event.target.value)}
            onKeyDown={(event) => event.key === "Enter" && put()}
            className="mt-1 block h-9 w-full rounded-[5px] border border-rule bg-white px-2.5 text-[13px] text-ink"
          />
        </label>
        <Button narrow onClick={put} disabled={!called.trim() || keep.isPending}>
          Keep
        </Button>
      </div>
    </div>
  );
}
