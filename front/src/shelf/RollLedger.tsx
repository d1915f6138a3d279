import { useState } from "react";
import { useLedger, useShelf } from "../api/useShelf";
import { Action } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { NumberField, TextField } from "../ui/Field";
import { dayAndYear } from "../ui/moments";
import { Big } from "../ui/Readings";
import { OpenRow, Section } from "../ui/Row";
import { metres } from "../ui/units";
import { type Entry, valueOf } from "./fields";

const REASONS = ["measured", "cut off by hand", "damaged"].map((words): [string, string] => [words, words]);

/** What is left on a roll and how it came to that: it always adds up. */
export function RollLedger({ roll }: { roll: Entry }) {
  const left = Number(valueOf(roll, "remaining_mm"));
  const { data: entries } = useLedger(roll.id, left);
  return (
    <>
      <div className="mt-3">
        <Big label="left on it" value={metres(left)} tone={left < 3000 ? "text-check-text" : ""} />
      </div>
      <a
        href={`/api/shelf/roll/${roll.id}/label`}
        download={`${valueOf(roll, "name")}.pdf`}
        className="mt-2 flex min-h-[36px] items-center border-b border-rule font-semibold text-pine hover:underline"
      >
        Save its label to print
      </a>
      <Measured key={roll.version} roll={roll} left={left} />
      <Section title="Ledger">
        <ul aria-label="Ledger">
          {entries?.map((entry, index) => (
            <li key={index} className="flex items-baseline justify-between gap-3 border-b border-rule py-1.5">
              <span className="min-w-0">
                {entry.reason}
                <span className="block text-[12px] text-slate">
                  {dayAndYear(entry.at)} · {entry.who}
                </span>
              </span>
              <b className={`shrink-0 font-semibold ${entry.length_mm < 0 ? "" : "text-go"}`}>
                {entry.length_mm < 0 ? "−" : "+"}
                {metres(Math.abs(entry.length_mm))}
              </b>
            </li>
          ))}
        </ul>
      </Section>
    </>
  );
}

/** Another length than is thought, with the reason, which the ledger keeps. */
function Measured({ roll, left }: { roll: Entry; left: number }) {
  const { change } = useShelf();
  const [open, setOpen] = useState(false);
  const [now, setNow] = useState(left);
  const [why, setWhy] = useState("measured");
  const save = () => {
    const changes = { remaining_mm: now, length_mm: Math.max(now, Number(valueOf(roll, "length_mm"))) };
    change.mutate({ kind: "roll", id: roll.id, changes, reason: why });
  };
  return (
    <OpenRow
      label="It has another length"
      shown=""
      why="The ledger keeps what was thought, what is so, and why."
      open={open}
      setOpen={setOpen}
    >
      <NumberField label="Left on it now" why="" decimals={0} least={0} value={now} onChange={setNow} />
      <div className="my-2">
        <Choice label="Why" value={why} choices={REASONS} onChange={setWhy} />
        <div className="mt-1.5">
          <TextField label="Why, in your words" value={why} onChange={setWhy} />
        </div>
      </div>
      <Action onClick={save} disabled={Math.abs(now - left) < 0.5 || !why.trim() || change.isPending}>
        Note it
      </Action>
    </OpenRow>
  );
}
