/**
 * Moments and days in one form everywhere, 1 Dec 2026, 14:05: the page speaks English, and 12/1 is another day in another
 * country, so the language of the browser is not asked; the time zone is that of whoever looks.
 */
export const shownAs = (options: Intl.DateTimeFormatOptions) => {
  const format = new Intl.DateTimeFormat("en-GB", options);
  return (at: string) => format.format(new Date(at));
};
const DAY = { day: "numeric", month: "short" } as const;
const CLOCK = { hour: "2-digit", minute: "2-digit" } as const;

/** 1 Dec. */
export const day = shownAs(DAY);
/** 1 Dec 2026. */
export const dayAndYear = shownAs({ ...DAY, year: "numeric" });
/** 14:05. */
export const clock = shownAs(CLOCK);
const full = shownAs({ dateStyle: "medium", timeStyle: "short" });
/** 1 Dec 2026, 14:05. */
export const when = (at: string | null | undefined) => (at ? full(at) : "never");
/** 14:05 when that is today, else 2 Dec, 14:05. */
export const dayOrClock = (at: string, now = new Date()) => (day(at) === day(now.toISOString()) ? clock(at) : `${day(at)}, ${clock(at)}`);
/** 40 min; 23 h 50 min. */
export const spell = (minutes: number) => (minutes < 60 ? `${minutes} min` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`);
