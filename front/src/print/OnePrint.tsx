import { type ReactNode, useEffect, useState } from "react";
import type { Schemas } from "../api/client";
import type { Progress } from "../api/tasks";
import { Action } from "../ui/Button";
import { dayOrClock, spell } from "../ui/moments";
import { Working } from "../ui/Working";

type Sheet = Schemas["SheetShown"];

const WORDS: Record<Sheet["state"], string> = {
  held: "held, not sent yet",
  printing: "on the printer",
  unclear: "broken off: was it printed?",
  printed: "printed, waits for film",
  laminated: "film on, ready for the cutter",
  loaded: "on the cutter",
  read: "marks read",
  cut: "cut",
  done: "finished",
  failed: "not printed",
};
const TONES: Partial<Record<Sheet["state"], string>> = { failed: "text-stop", unclear: "text-check-text" };

/** What a person can have seen at the machine. Of what is spoiled its whole length is taken off the roll. */
const LOOKED: [Schemas["SettleAsked"]["how"], string][] = [
  ["printed", "It is printed"],
  ["spoiled", "It is spoiled"],
  ["nothing", "Nothing came out"],
];

/** What hands can do with a print. */
export type Hands = {
  send: (sheet: Sheet) => void;
  letGo: (sheet: Sheet) => void;
  settle: (sheet: Sheet, how: Schemas["SettleAsked"]["how"]) => void;
  film: (sheet: Sheet, anyway: boolean) => void;
  /** What is printed of its length is cut off, while more of it is still to come. */
  cutOff: (sheet: Sheet) => void;
  toCutter: (sheet: Sheet) => void;
};

/** The print whose next step is for hands here: what is not known first, then what waits for film, then what may go on. */
export function nextPrint(sheets: Sheet[]): Sheet | null {
  const waits = (wanted: (sheet: Sheet) => boolean) => sheets.find(wanted);
  const film = (one: Sheet) => one.state === "printed" && one.wants_film && one.still === 0;
  return waits((one) => one.state === "unclear") ?? waits(film) ?? waits(toCutterNow) ?? null;
}

const toCutterNow = (sheet: Sheet) => sheet.state === "laminated" || (sheet.state === "printed" && !sheet.wants_film);

type Props = {
  sheet: Sheet;
  hands: Hands;
  sending: Progress | null;
  filming: Progress | null;
  blocked: boolean;
  strip?: ReactNode;
  main?: boolean;
};

/** One print, its state, what its colour strip says, and the step that is next for it; `main`: that step is the main action of the page. */
export function OnePrint({ sheet, hands, sending, filming, blocked, strip, main }: Props) {
  return (
    <div className="border-b border-rule py-2">
      <div className="flex justify-between gap-2">
        <span className="font-code text-[12px]">{sheet.name}</span>
        <b className={`text-right font-semibold ${TONES[sheet.state] ?? ""}`}>
          {sheet.state === "printed" && !sheet.wants_film ? "printed, ready for the cutter" : WORDS[sheet.state]}
        </b>
      </div>
      {strip}
      {sheet.state === "held" && <p className="text-[12px] text-slate">for {sheet.roll}</p>}
      {sheet.state === "held" && (
        <div className="mt-2 flex gap-1.5">
          <div className="flex-1">
            <Action onClick={() => hands.send(sheet)} disabled={sending !== null || blocked}>
              Send it
            </Action>
          </div>
          <div className="flex-1">
            <Action onClick={() => hands.letGo(sheet)}>Let it go</Action>
          </div>
        </div>
      )}
      {sheet.state === "unclear" && !sending && (
        <div className="mt-2 flex flex-col gap-1.5">
          <p>Nobody knows what the printer did with it. Ask it, or look at the machine.</p>
          <Action main={main} onClick={() => hands.settle(sheet, "ask")}>
            Ask the printer
          </Action>
          <div className="flex gap-1.5">
            {LOOKED.map(([how, words]) => (
              <div key={how} className="flex-1">
                <Action onClick={() => hands.settle(sheet, how)}>{words}</Action>
              </div>
            ))}
          </div>
        </div>
      )}
      {sheet.state === "printed" && sheet.wants_film && (
        <div className="mt-2">
          {filming ? (
            <Working progress={filming} />
          ) : sheet.still > 0 ? (
            <Hanging sheet={sheet} cutOff={() => hands.cutOff(sheet)} />
          ) : (
            <Film sheet={sheet} main={main} film={(anyway) => hands.film(sheet, anyway)} />
          )}
        </div>
      )}
      {toCutterNow(sheet) && (
        <div className="mt-2">
          <Action main={main} onClick={() => hands.toCutter(sheet)}>
            Take it to the cutter
          </Action>
        </div>
      )}
    </div>
  );
}

/** Frames that hang together travel together: film is for later, unless hands have cut off what is there. */
function Hanging({ sheet, cutOff }: { sheet: Sheet; cutOff: () => void }) {
  return (
    <>
      <p className="mb-1.5 text-check-text">
        It hangs together with {sheet.still} {sheet.still === 1 ? "frame that is" : "frames that are"} still to be printed: film goes on all
        of them at once.
      </p>
      <Action onClick={cutOff}>It is cut off here</Action>
    </>
  );
}

const REST: Record<string, string> = { loose: "Leave it loosely rolled.", hung: "Hang it up." };

/** Film waits until the ink is dry, unless the operator knows better; until then it is not the main action. */
function Film({ sheet, film, main }: { sheet: Sheet; film: (anyway: boolean) => void; main?: boolean }) {
  const [now, setNow] = useState(() => Date.now());
  const minutes = (until: string | null) => (until ? Math.ceil((new Date(until).getTime() - now) / 60_000) : 0);
  const [touch, left] = [minutes(sheet.touch_dry_at), minutes(sheet.dry_at)];
  useEffect(() => {
    if (left <= 0) return;
    const timer = setInterval(() => setNow(Date.now()), 10_000);
    return () => clearInterval(timer);
  }, [left]);
  if (left <= 0)
    return (
      <Action main={main} onClick={() => film(false)}>
        {sheet.together > 1 ? `Put film on: all ${sheet.together} that hang together` : "Put film on"}
      </Action>
    );
  return (
    <>
      <p className="mb-1.5 text-check-text">
        Ready for film in {spell(left)}, at {sheet.dry_at && dayOrClock(sheet.dry_at)}.{REST[sheet.rest] ?? ""}{" "}
        {touch > 0 ? `Touch-dry in ${spell(touch)}.` : ""}
      </p>
      <Action onClick={() => film(true)}>Put film on all the same</Action>
    </>
  );
}
