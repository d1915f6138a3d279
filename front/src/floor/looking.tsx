import { useState } from "react";
import { Button } from "../ui/Button";

const FIELD = "h-9 rounded-[5px] border border-rule bg-white px-2.5";
const MONTHS = "January February March April May June July August September October November December".split(" ");
/** What the server takes. */
const A_YEAR = /^2\d{3}$/;

/** What a long list is looked through by: words, a month (YYYY-MM), and how far; other words begin at the first page again. */
export function useLooking(firstMonth = "") {
  const [asked, set] = useState({ text: "", month: firstMonth, skip: 0 });
  return {
    ...asked,
    setText: (text: string) => set({ ...asked, text, skip: 0 }),
    setMonth: (month: string) => set({ ...asked, month, skip: 0 }),
    setSkip: (skip: number) => set({ ...asked, skip }),
  };
}

type Looking = ReturnType<typeof useLooking>;
type PagesProps = { looking: Looking; size: number; more: boolean; words?: [string, string] };

export function WordsField({ label, looking }: { label: string; looking: Looking }) {
  return (
    <input
      aria-label={label}
      placeholder={label}
      value={looking.text}
      onChange={(event) => looking.setText(event.target.value)}
      className={`${FIELD} w-[240px]`}
    />
  );
}

/** A month and its year: half of the browsers know no field for both, and take one for any text. */
export function MonthField({ looking: { month: asked, setMonth } }: { looking: Looking }) {
  const [draft, setDraft] = useState({ of: "", month: "", year: String(new Date().getFullYear()) });
  const [askedYear = "", askedMonth = ""] = asked.split("-");
  const { month, year } = draft.of === asked ? draft : { month: askedMonth, year: askedYear || draft.year };
  const ask = (month: string, year: string) => {
    const whole = !month ? "" : A_YEAR.test(year) ? `${year}-${month}` : asked; // a year that is half typed asks nothing yet
    setDraft({ of: whole, month, year });
    if (whole !== asked) setMonth(whole);
  };
  return (
    <span className="flex gap-1.5">
      <select aria-label="Month" value={month} onChange={(event) => ask(event.target.value, year)} className={FIELD}>
        <option value="">Any month</option>
        {MONTHS.map((name, index) => (
          <option key={name} value={String(index + 1).padStart(2, "0")}>
            {name}
          </option>
        ))}
      </select>
      {month && (
        <input
          aria-label="Year"
          inputMode="numeric"
          maxLength={4}
          value={year}
          onChange={(event) => ask(month, event.target.value)}
          className={`${FIELD} w-[60px]`}
        />
      )}
    </span>
  );
}

/** The newest stand first, unless `words` say it otherwise. */
export function Pages({ looking, size, more, words = ["Later ones", "Earlier ones"] }: PagesProps) {
  const { skip, setSkip } = looking;
  if (skip === 0 && !more) return null;
  return (
    <div className="mt-3 flex gap-2">
      <Button looks disabled={skip === 0} onClick={() => setSkip(Math.max(0, skip - size))}>
        {words[0]}
      </Button>
      <Button looks disabled={!more} onClick={() => setSkip(skip + size)}>
        {words[1]}
      </Button>
    </div>
  );
}
