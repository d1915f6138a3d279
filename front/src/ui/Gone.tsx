import { Empty } from "./Empty";

/** What is shown of something that cannot be shown. */
export function Gone({ error, back = "floor", name = "the Floor" }: { error: Error; back?: string; name?: string }) {
  return (
    <Empty label="Not to be shown" title="This cannot be shown" to={`/${back}`} action={`Back to ${name}`}>
      {error.message}
    </Empty>
  );
}
