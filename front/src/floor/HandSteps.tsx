import { useState } from "react";
import type { Job, JobChanges } from "../api/useJob";
import { Button } from "../ui/Button";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { Fold } from "../ui/Row";

const USUAL = ["Weed", "Transfer tape", "Trim", "Fold", "Mount", "Pack"] as const;
type Step = Job["hand_steps"][number];

/** Work by hand besides printing and cutting; its minutes are in the quote. */
export function HandSteps({ job, change }: { job: Job; change: (changes: JobChanges) => void }) {
  const [own, setOwn] = useState("");
  const steps = job.hand_steps;
  const set = (at: number, to: Partial<Step>) =>
    change({ hand_steps: steps.map((step, which) => (which === at ? { ...step, ...to } : step)) });
  const add = (name: string) => change({ hand_steps: [...steps, { name, minutes: 1, per: "piece" }] });
  const left = USUAL.filter((name) => !steps.some((step) => step.name === name));
  return (
    <Fold name="job by hand" title="By hand" closed={steps.length === 0}>
      {steps.map((step, at) => (
        <div key={`${at} ${step.name}`} role="group" aria-label={step.name} className="mb-1.5">
          <NumberRow
            label={step.name}
            kind="plain"
            suffix={step.per === "piece" ? "min each" : "min"}
            decimals={1}
            value={step.minutes}
            least={0}
            most={10_000}
            why="What it takes somebody used to it."
            onChange={(minutes) => set(at, { minutes })}
          />
          <div className="flex items-center gap-2">
            <div className="min-w-0 flex-1">
              <ChoiceRow
                label="For"
                value={step.per}
                choices={[
                  ["piece", "each piece"],
                  ["job", "all of the job"],
                ]}
                why="Minutes for each piece, or once however many there are."
                onChange={(per) => set(at, { per: per as Step["per"] })}
              />
            </div>
            <Button
              narrow
              aria-label={`Leave out ${step.name}`}
              onClick={() => change({ hand_steps: steps.filter((_, which) => which !== at) })}
            >
              ×
            </Button>
          </div>
        </div>
      ))}
      <div className="mt-1.5 flex flex-wrap gap-1.5">
        {left.map((name) => (
          <Button key={name} narrow onClick={() => add(name)}>
            {name}
          </Button>
        ))}
      </div>
      <form
        className="mt-1.5 flex gap-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          if (own.trim()) add(own.trim());
          setOwn("");
        }}
      >
        <input
          aria-label="Another step"
          placeholder="Another step"
          value={own}
          maxLength={60}
          onChange={(event) => setOwn(event.target.value)}
          className="h-9 min-w-0 flex-1 rounded-[5px] border border-rule bg-white px-2.5"
        />
        <Button
          narrow
          disabled={!own.trim()}
          onClick={() => {
            add(own.trim());
            setOwn("");
          }}
        >
          Add
        </Button>
      </form>
    </Fold>
  );
}
