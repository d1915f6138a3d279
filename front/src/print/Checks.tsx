import { useState } from "react";
import type { Schemas } from "../api/client";
import { Action, Button } from "../ui/Button";
import { Section } from "../ui/Row";
import type { Station } from "./useStation";

type Check = Schemas["CheckShown"];

const LOOKS = {
  good: { sign: "✓", words: "in order", tone: "text-go" },
  look: { sign: "?", words: "to look at", tone: "text-check-text" },
  stop: { sign: "!", words: "stands in the way", tone: "text-stop" },
} as const;

/** What is looked at before a run is sent, and what can be done about it here. */
export function Checks({ station }: { station: Station }) {
  return (
    <Section title="Before it is sent">
      {station.checks?.map((check) => (
        <div key={check.words} className="flex min-h-[33px] items-start gap-2.5 border-b border-rule py-1.5">
          <span
            role="img"
            aria-label={LOOKS[check.state].words}
            className={`w-3 shrink-0 text-center text-[15px] leading-[18px] font-bold ${LOOKS[check.state].tone}`}
          >
            {LOOKS[check.state].sign}
          </span>
          <span className="min-w-0 flex-1">
            {check.words}
            <Remedies check={check} station={station} />
          </span>
        </div>
      ))}
      <Scan station={station} />
    </Section>
  );
}

function Remedies({
  check,
  station: { shown, putRollOn, thatIsIt, scanned, toolIsIn, careIsDone, set },
}: {
  check: Check;
  station: Station;
}) {
  const wrong = check.state === "stop" && check.scanned;
  return (
    <>
      {check.can_load && <Remedy off={putRollOn.isPending} press={() => putRollOn.mutate()}>{`${shown.roll_name} is on it now`}</Remedy>}
      {check.tool && <Remedy off={toolIsIn.isPending} press={() => toolIsIn.mutate(check.tool)}>{`The ${check.tool} is in`}</Remedy>}
      {check.care !== null && (
        <Remedy off={careIsDone.isPending} press={() => careIsDone.mutate(check.care ?? 0)}>
          It is done
        </Remedy>
      )}
      {check.called && (
        <>
          <Remedy off={thatIsIt.isPending} press={() => thatIsIt.mutate(check.called)}>{`That is ${shown.stock_name}`}</Remedy>
          <span className="mt-1 block text-[12px] text-slate">
            Then {shown.printer} and you mean the same by “{check.called}”, here and from now on.
          </span>
        </>
      )}
      {wrong && check.other_roll !== null && (
        <Remedy off={false} press={() => set("roll", { roll_id: check.other_roll ?? 0, more_rolls: [] })}>
          Print on that one
        </Remedy>
      )}
      {wrong && (
        <Remedy off={scanned.isPending} press={() => scanned.mutate(null)}>
          It lies there no more
        </Remedy>
      )}
    </>
  );
}

function Remedy({ off, press, children }: { off: boolean; press: () => void; children: string }) {
  return (
    <span className="mt-1.5 block">
      <Action onClick={press} disabled={off}>
        {children}
      </Action>
    </span>
  );
}

/** A scanner types the label and presses Enter; hands can type its six letters. */
function Scan({ station: { shown, scanned } }: { station: Station }) {
  const [label, setLabel] = useState("");
  const put = () => {
    if (label.trim()) scanned.mutate(label, { onSuccess: () => setLabel("") });
  };
  return (
    <div className="mt-2 flex items-end gap-1.5">
      <label className="min-w-0 flex-1 text-[12px] text-slate">
        Scan the label of the roll on {shown.printer}
        <input
          value={label}
          onChange={(event) => setLabel(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && put()}
          autoComplete="off"
          spellCheck={false}
          className="mt-1 block h-9 w-full rounded-[5px] border border-rule bg-white px-2 font-code text-[13px] text-ink"
        />
      </label>
      <Button narrow onClick={put} disabled={!label.trim() || scanned.isPending}>
        It is on
      </Button>
    </div>
  );
}
