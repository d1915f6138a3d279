import { Way } from "./Button";

/** What is shown of something that cannot be shown. */
export function Gone({ error, back = "floor", name = "the Floor" }: { error: Error; back?: string; name?: string }) {
  return (
    <main className="flex-1 p-6">
      {error.message} <Way to={`/${back}`}>Back to {name}</Way>
    </main>
  );
}
