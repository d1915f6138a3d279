/** A moment in the words and the time zone of whoever looks at it. */
export const when = (at: string | null | undefined) =>
  at ? new Date(at).toLocaleString([], { dateStyle: "medium", timeStyle: "short" }) : "never";
