import { ToggleGroup } from "radix-ui";
import { type ReactNode, useState } from "react";
import { useLooksOnly } from "./looksOnly";
import { OpenRow } from "./Row";

const choiceLook =
  "min-h-9 rounded-[5px] border border-rule bg-white px-2.5 py-1 text-left " +
  "disabled:text-slate/60 data-[state=on]:border-pine data-[state=on]:bg-pine-wash data-[state=on]:font-semibold";

type ChoiceProps<T extends string> = {
  label: string;
  value: T;
  choices: readonly (readonly [T, ReactNode])[];
  onChange: (value: T) => void;
  /** It changes nothing but what is seen: whoever may only look may press it. */
  looks?: boolean;
};

/** One of a few, all of them to be seen. A mark before each value: an empty one would be taken for none. */
export function Choice<T extends string>({ label, value, choices, onChange, looks }: ChoiceProps<T>) {
  const looksOnly = useLooksOnly();
  return (
    <ToggleGroup.Root
      type="single"
      disabled={looksOnly && !looks}
      value={`=${value}`}
      aria-label={label}
      onValueChange={(next) => next && onChange(next.slice(1) as T)}
      className="flex flex-wrap gap-1.5"
    >
      {choices.map(([name, words]) => (
        <ToggleGroup.Item key={name} value={`=${name}`} className={choiceLook}>
          {words}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}

type SeveralProps = {
  label: string;
  why: string;
  /** What is said while none is chosen. */
  none: string;
  value: string[];
  /** Name, words, and what is shown instead of these where there is room for more. */
  choices: [string, string, ReactNode?][];
  onChange: (value: string[]) => void;
};

/** Any of a few, in a row that opens in place. */
export function SeveralRow({ label, why, none, value, choices, onChange }: SeveralProps) {
  const [open, setOpen] = useState(false);
  const looksOnly = useLooksOnly();
  const words = choices.filter(([name]) => value.includes(name)).map(([, said]) => said);
  return (
    <OpenRow label={label} shown={words.join(", ") || none} why={why} open={open} setOpen={setOpen}>
      <ToggleGroup.Root
        type="multiple"
        disabled={looksOnly}
        value={value}
        aria-label={label}
        onValueChange={onChange}
        className="flex flex-wrap gap-1.5"
      >
        {choices.map(([name, said, seen]) => (
          <ToggleGroup.Item key={name} value={name} className={choiceLook}>
            {seen ?? said}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
    </OpenRow>
  );
}

type ChoiceRowProps<T extends string> = {
  label: string;
  why: string;
  value: T;
  choices: [T, string][];
  onChange: (value: T) => void;
  children?: ReactNode;
};

export function ChoiceRow<T extends string>({ label, why, value, choices, onChange, children }: ChoiceRowProps<T>) {
  const [open, setOpen] = useState(false);
  return (
    <OpenRow label={label} shown={choices.find(([name]) => name === value)?.[1] ?? value} why={why} open={open} setOpen={setOpen}>
      <Choice label={label} value={value} choices={choices} onChange={onChange} />
      {children}
    </OpenRow>
  );
}
