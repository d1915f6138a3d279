import { benchLogQuery, rollPlanQuery } from "../api/keys";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, told } from "../api/client";
import { useTask } from "../api/tasks";
import { Action, Button } from "../ui/Button";
import { clock } from "../ui/moments";
import { Section } from "../ui/Row";
import { Working } from "../ui/Working";

/** Whether a sheet waits for the cutter: film is on, or it gets none. */
export const forCutter = (sheet: Schemas["SheetShown"]) => sheet.state === "laminated" || (sheet.state === "printed" && !sheet.wants_film);

/** Every sheet that waits, without hands: as one roll, or beside each other on a carrier mat. */
type Props = { sheets: Schemas["SheetShown"][]; simulated: boolean; done: () => void };

export function RollCut({ sheets, simulated, done }: Props) {
  const there = sheets.filter((sheet) => forCutter(sheet) && sheet.has_code).sort((one, other) => one.id - other.id);
  /** Those left out, and the order in which the others lie where hands have changed it. */
  const [left, setLeft] = useState<number[]>([]);
  const [order, setOrder] = useState<number[]>([]);
  const place = (id: number) => (order.includes(id) ? order.indexOf(id) : order.length);
  const ordered = [...there].sort((one, other) => place(one.id) - place(other.id) || one.id - other.id);
  const sheet_ids = ordered.filter(({ id }) => !left.includes(id)).map(({ id }) => id);
  const forward = (index: number) => {
    const ids = ordered.map(({ id }) => id);
    ids.splice(index - 1, 2, ids[index] as number, ids[index - 1] as number);
    setOrder(ids);
  };
  const [open, setOpen] = useState<"roll" | "mat" | null>(null);
  const task = useTask("cuts", "cutting the roll", done);
  const plan = useQuery({ ...rollPlanQuery(sheet_ids), enabled: open !== null && sheet_ids.length > 0 }).data;
  const waits = plan ? firstRound(plan).ready : undefined;
  const start = (end: "head" | "tail") => {
    setOpen(null);
    void task.start("Laying the roll", async () => {
      if (simulated) await told(api.POST("/api/room/sheets/lay", { body: { sheet_ids, how: "roll", end } }));
      return told(api.POST("/api/bench/roll", { body: { sheet_ids, end, check: false, ...(plan ? firstRound(plan) : {}) } }));
    });
  };
  const cutMat = () => {
    setOpen(null);
    void task.start("Looking at the mat", async () => {
      if (simulated) await told(api.POST("/api/room/sheets/lay", { body: { sheet_ids, how: "mat", end: "head" } }));
      return told(api.POST("/api/bench/mat", { body: { sheet_ids, check: false, ...(plan ? firstRound(plan) : {}) } }));
    });
  };
  const choice = (
    <ol aria-label="Sheets that lie there" className="mb-2">
      {ordered.map(({ id, name, run_name }, index) => (
        <li key={id} className="flex min-h-8 items-center gap-2">
          <label className="flex min-w-0 flex-1 items-center gap-2">
            <input
              type="checkbox"
              checked={!left.includes(id)}
              onChange={() => setLeft(left.includes(id) ? left.filter((one) => one !== id) : [...left, id])}
              className="h-4 w-4 accent-(--color-pine)"
            />
            <span className="font-code">{name}</span>
            <span className="truncate text-slate">{run_name}</span>
          </label>
          {open === "roll" && index > 0 && (
            <Button narrow aria-label={`${name} lies further to the head`} onClick={() => forward(index)}>
              ↑
            </Button>
          )}
        </li>
      ))}
    </ol>
  );
  if (task.progress) return <Working progress={task.progress} cancel={task.cancel} stopWords="Hold after this sheet" />;
  if (there.length < 2) return null;
  return (
    <>
      <Action onClick={() => setOpen(open === "roll" ? null : "roll")}>Cut the whole roll: {sheet_ids.length} sheets</Action>
      {open === "roll" && (
        <div className="rounded-[6px] border border-rule bg-white p-3 text-[12px]">
          <p className="mb-1">
            They lie on the roll in this order, from its head. Each is read, fitted and cut; one whose fit is not “go” is set aside.
          </p>
          {choice}
          {plan && <Rounds plan={plan} between="the roll is put back and every frame read again" />}
          <div className="flex gap-2">
            <Action onClick={() => start("head")} disabled={sheet_ids.length === 0 || !plan}>
              {waits ? "It is in: head first" : "Head first"}
            </Action>
            <Action onClick={() => start("tail")} disabled={sheet_ids.length === 0 || !plan}>
              {waits ? "It is in: tail first" : "Tail first"}
            </Action>
          </div>
        </div>
      )}
      <Action onClick={() => setOpen(open === "mat" ? null : "mat")}>Cut {sheet_ids.length} sheets on one mat</Action>
      {open === "mat" && (
        <div className="rounded-[6px] border border-rule bg-white p-3 text-[12px]">
          <p className="mb-1">
            Lay them on the carrier mat, either way round, none over another. The camera finds each by its code, reads, fits and cuts it.
          </p>
          {choice}
          {plan && <Rounds plan={plan} between="they stay where they lie, and each is read again" />}
          <Action onClick={cutMat} disabled={sheet_ids.length === 0 || !plan}>
            {waits ? "It is in, and they lie on the mat" : "They lie on the mat"}
          </Action>
        </div>
      )}
    </>
  );
}

type Plan = Schemas["RollPlan"];

/** What is asked for of the next round: all that is left when one tool does it. */
function firstRound({ rounds, holder }: Plan): Pick<Schemas["RollAsked"], "kinds" | "ready"> {
  const [first] = rounds;
  if (!first) return {};
  return { ...(rounds.length > 1 ? { kinds: first.kinds } : {}), ...(first.tool && first.tool !== holder ? { ready: first.tool } : {}) };
}

const times = (count: number) => (count === 1 ? "1 change" : `${count} changes`);

/** With which tool all of it is cut now, and what that saves where there are several; `between`: what happens then. */
function Rounds({ plan: { rounds, holder, by_tool, by_frame }, between }: { plan: Plan; between: string }) {
  const [first, ...rest] = rounds;
  if (!first) return null;
  return (
    <div role="group" aria-label="Tools of the round" className="mb-2">
      {rest.length > 0 && (
        <p className="mb-1">
          One tool after the other over all of them: {times(by_tool)} of tool. Sheet by sheet it would be {by_frame}. In between {between}.
        </p>
      )}
      {first.tool && first.tool !== holder && <p className="text-[18px] font-semibold">Put in the {first.tool}.</p>}
      {rest.length > 0 && (
        <p>
          Now: {first.kinds.join(" and ")} with the {first.tool}. Then: {rest.map(({ tool }) => `the ${tool}`).join(", ")}.
        </p>
      )}
    </div>
  );
}

const SIGNS = { good: ["✓", "text-go"], look: ["◆", "text-check-text"], stop: ["■", "text-stop"] } as const;

/** What happened, newest first. */
export function BenchLog() {
  const { data: entries } = useQuery(benchLogQuery);
  if (!entries?.length) return null;
  return (
    <Section title="Log">
      <ul aria-label="Log of the Bench" className="text-[12px]">
        {entries.slice(0, 12).map((entry) => (
          <li key={entry.id} className="flex gap-2 border-b border-rule py-1">
            <span className={SIGNS[entry.state][1]} aria-label={entry.state}>
              {SIGNS[entry.state][0]}
            </span>
            <span className="flex-1">{entry.words}</span>
            <time className="text-slate">{clock(entry.at)}</time>
          </li>
        ))}
      </ul>
    </Section>
  );
}
