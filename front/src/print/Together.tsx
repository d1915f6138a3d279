import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, told } from "../api/client";
import { beside } from "../api/keys";
import { useTask } from "../api/tasks";
import { Action, Button } from "../ui/Button";
import { Section } from "../ui/Row";
import { length, type Unit, useUnit } from "../ui/units";
import { Working } from "../ui/Working";
import type { Station } from "./useStation";

type Ready = Schemas["ReadyShown"];

/** Runs that wait for the same printer, to be sent with this one in one action; those on the same stock stand first. */
export function Together({ station }: { station: Station }) {
  const { shown, stopped, sending } = station;
  const unit = useUnit((state) => state.unit);
  const queries = useQueryClient();
  const { data: others = [] } = useQuery(beside(shown.run.id, shown.sheets.length));
  const [ticked, setTicked] = useState<number[]>([]);
  const plating = useTask("plates", `plating beside ${shown.run.id}`, () => void queries.invalidateQueries({ queryKey: ["beside"] }));
  if (others.length === 0) return null;
  const chosen = others.filter((one) => one.plated && ticked.includes(one.run.id));
  const own = shown.sheets.length === 0 && shown.plates.length > 0 && !stopped;
  const runs = [
    ...(own ? [{ run_id: shown.run.id, revision: shown.settings.revision }] : []),
    ...chosen.map((one) => ({ run_id: one.run.id, revision: one.revision })),
  ];
  const tick = (id: number) => setTicked(ticked.includes(id) ? ticked.filter((one) => one !== id) : [...ticked, id]);
  const make = (id: number) =>
    void plating.start("Making the print file", () => told(api.PUT("/api/print/{run_id}/plate", { params: { path: { run_id: id } } })));
  return (
    <Section title={`Also waits for ${shown.printer}`}>
      <ul aria-label="Runs that can be sent together">
        {others.map((one) => {
          const on = ticked.includes(one.run.id);
          return <Other key={one.run.id} one={one} unit={unit} on={on} tick={tick} make={plating.progress ? null : make} />;
        })}
      </ul>
      {plating.progress && <Working progress={plating.progress} cancel={plating.cancel} />}
      {chosen.length > 0 && (
        <div className="mt-2">
          <Action onClick={() => station.sendRuns(runs, () => setTicked([]))} disabled={sending.progress !== null}>
            {sentence(own, chosen, unit)}
          </Action>
        </div>
      )}
    </Section>
  );
}

function sentence(own: boolean, chosen: Ready[], unit: Unit) {
  const sum = chosen.reduce((all, one) => all + one.length_mm, 0);
  const many = chosen.length === 1 ? "that run" : `those ${chosen.length} runs`;
  return `${own ? `Send this one and ${many}` : `Send ${many}`}, ${length(sum, unit, 0)} ${unit}${own ? " more" : ""}`;
}

type Row = { one: Ready; unit: Unit; on: boolean; tick: (id: number) => void; make: ((id: number) => void) | null };

function Other({ one, unit, on, tick, make }: Row) {
  const frames = one.frames === 1 ? "1 frame" : `${one.frames} frames`;
  const words = `${one.same_stock ? "" : `${one.stock_name}: `}${frames}, ${length(one.length_mm, unit, 0)} ${unit}`;
  return (
    <li className="flex min-h-[44px] items-center gap-2 border-b border-rule">
      <label className="grid min-w-0 flex-1 grid-cols-[20px_1fr] items-center gap-x-2.5 py-1">
        <input
          type="checkbox"
          className="row-span-2 size-5 accent-pine"
          checked={on}
          disabled={!one.plated}
          onChange={() => tick(one.run.id)}
        />
        <span className="truncate">{one.run.name}</span>
        <span className={`text-[12px] ${one.same_stock ? "text-slate" : "text-check-text"}`}>{words}</span>
      </label>
      {!one.plated && (
        <Button narrow disabled={make === null} onClick={() => make?.(one.run.id)} aria-label={`Make the print files of ${one.run.name}`}>
          Make its files
        </Button>
      )}
    </li>
  );
}
