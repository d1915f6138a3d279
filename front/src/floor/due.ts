import { shownAs } from "../ui/moments";

/** Days of the shop: no hour of theirs, no zone moves them. */
const dayShown = (options: Intl.DateTimeFormatOptions) => shownAs({ ...options, timeZone: "UTC" });
const [DAY, YEAR] = [{ day: "numeric", month: "short" } as const, { year: "numeric" } as const];
const WEEKDAY = { short: dayShown({ weekday: "short" }), long: dayShown({ weekday: "long" }) };
const FAR = {
  short: { here: dayShown(DAY), elsewhere: dayShown({ ...DAY, ...YEAR }) },
  long: { here: dayShown({ ...DAY, weekday: "long" }), elsewhere: dayShown({ ...DAY, ...YEAR, weekday: "long" }) },
};

/** A date, with its year where that is another than today's. */
export const dateFrom = (day: string, today: string, words: "short" | "long" = "short") =>
  FAR[words][day.slice(0, 4) === today.slice(0, 4) ? "here" : "elsewhere"](day);

/** A weekday within a week, a date after that. */
const dayFrom = (day: string, today: string, words: "short" | "long") =>
  (Date.parse(day) - Date.parse(today)) / 86_400_000 < 7 ? WEEKDAY[words](day) : dateFrom(day, today, words);

/** The day something is due, as it is said on the Floor, and how loudly. */
export function dueWords(due: string | null, today: string): [string, string] {
  if (!due) return ["", ""];
  if (due < today) return ["late", "font-semibold text-stop"];
  if (due === today) return ["today", "font-semibold text-check-text"];
  return [dayFrom(due, today, "short"), "font-semibold"];
}

/** How a day to come is called at the head of its jobs. */
export function dayTitle(day: string, today: string): string {
  const days = (Date.parse(day) - Date.parse(today)) / 86_400_000;
  return days === 0 ? "Today" : days === 1 ? "Tomorrow" : dayFrom(day, today, "long");
}
