/** The day something is due, as it is said on the Floor, and how loudly. */
export function dueWords(due: string | null, today: string): [string, string] {
  if (!due) return ["", ""];
  if (due < today) return ["late", "font-semibold text-stop"];
  if (due === today) return ["today", "font-semibold text-check-text"];
  const days = (Date.parse(due) - Date.parse(today)) / 86_400_000;
  const options: Intl.DateTimeFormatOptions = days < 7 ? { weekday: "short" } : { day: "numeric", month: "short" };
  return [new Intl.DateTimeFormat("en", { ...options, timeZone: "UTC" }).format(new Date(due)), "font-semibold"];
}

/** How a day to come is called at the head of its jobs. */
export function dayTitle(day: string, today: string): string {
  const days = (Date.parse(day) - Date.parse(today)) / 86_400_000;
  if (days === 0) return "Today";
  if (days === 1) return "Tomorrow";
  const options: Intl.DateTimeFormatOptions = days < 7 ? { weekday: "long" } : { weekday: "long", day: "numeric", month: "short" };
  return new Intl.DateTimeFormat("en", { ...options, timeZone: "UTC" }).format(new Date(day));
}
