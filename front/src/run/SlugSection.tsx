import { useState } from "react";
import type { ChangeRun, Run } from "../api/useRun";
import { ChoiceRow } from "../ui/Choice";
import { TextField } from "../ui/Field";
import { Section } from "../ui/Row";

const FIELDS = ["run", "customer", "job", "date", "stock", "operator"] as const;
const kindOf = (slug: string | null) => (slug === null ? "usual" : slug === "" ? "none" : "own");

/** What people read beside the code of a frame, and on which side the feed arrow stands. */
export function SlugSection({ run, change }: { run: Run; change: ChangeRun }) {
  const { slug, arrow_side, laying, page_codes } = run.document;
  const [writing, setWriting] = useState(false);
  if (laying === "page" && !page_codes) return null;
  const kind = writing ? "own" : kindOf(slug);
  const put = (next: string | null) => {
    setWriting(false);
    change("words beside the frame", { slug: next });
  };
  return (
    <Section title="Words beside it">
      <ChoiceRow
        label="Slug"
        value={kind}
        choices={[
          ["usual", "run, customer, date"],
          ["own", "own words"],
          ["none", "none"],
        ]}
        why={
          "Printed in the head row behind the letters of the frame's code. The operator is who changed the run last. " +
          "None: nobody can type the code where no reader reads it."
        }
        onChange={(next) => (next === "own" ? setWriting(true) : put(next === "none" ? "" : null))}
      />
      {kind === "own" && (
        <div className="border-b border-rule py-2">
          <TextField label="Words of the slug" value={slug ?? ""} longest={120} onChange={(words) => put(words.trim() || null)} />
          <div role="group" aria-label="Fields" className="mt-1.5 flex flex-wrap gap-1.5">
            {FIELDS.map((field) => (
              <button
                key={field}
                type="button"
                onClick={() => put(`${slug ?? ""} {${field}}`.trim())}
                className="h-9 rounded-[5px] border border-rule bg-white px-2 hover:border-slate"
              >
                + {field}
              </button>
            ))}
          </div>
          <p className="mt-1.5 text-[12px] text-slate">
            {run.plans[0]?.slug ? `It reads: ${run.plans[0].slug}` : "A word in braces is filled in; what has no room is cut off."}
          </p>
        </div>
      )}
      <ChoiceRow
        label="Feed arrow"
        value={arrow_side}
        choices={[
          ["left", "on the left"],
          ["right", "on the right"],
        ]}
        why="The slug stands on the other side of the middle."
        onChange={(side) => change("side of the feed arrow", { arrow_side: side })}
      />
    </Section>
  );
}
