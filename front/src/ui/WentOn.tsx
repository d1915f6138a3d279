/** What is gone with finished work, and what to do about it. */
export function WentOn({ what, at }: { what: string; at: string }) {
  const day = new Date(at).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });
  return (
    <p>
      {what} went on {day}, with finished work. To make it once more, take its art in again.
    </p>
  );
}
