import { useState } from "react";
import { Button } from "../ui/Button";

const FIELD = "h-9 rounded-[5px] border border-rule bg-white px-2.5";

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

export function MonthField({ looking }: { looking: Looking }) {
  return (
    <input
      type="month"
      aria-label="Month"
      value={looking.month}
      onChange={(event) => looking.setMonth(event.target.value)}
      className={FIELD}
    />
  );
}

/** The newest stand first, unless `words` say it otherwise. */
export function Pages({ looking, size, more, words = ["Later ones", "Earlier ones"] }: PagesProps) {
  const { skip, setSkip } = looking;
  if (skip === 0 && !more) return null;
  return (
    <div className="mt-3 flex gap-2">
      <Button disabled={skip === 0} onClick={() => setSkip(Math.max(0, skip - size))}>
        {words[0]}
      </Button>
      <Button disabled={!more} onClick={() => setSkip(skip + size)}>
        {words[1]}
      </Button>
    </div>
  );
}
