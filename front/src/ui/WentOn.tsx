import { dayAndYear } from "./moments";

/** What is gone with finished work, and what to do about it. */
export function WentOn({ what, at }: { what: string; at: string }) {
  return (
    <p>
      {what} went on {dayAndYear(at)}, with finished work. To make it once more, take its art in again.
    </p>
  );
}
