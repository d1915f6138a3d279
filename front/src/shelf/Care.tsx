import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { useCareDone } from "../api/useCare";
import { Button, TextButton } from "../ui/Button";
import { NumberRow, TextField } from "../ui/Field";
import { day } from "../ui/moments";
import { OpenRow, Section } from "../ui/Row";
import { figure } from "../ui/units";

type Kind = "printer" | "laminator" | "cutter";
type Care = Schemas["CareShown"];
type Wish = Schemas["CareWished"];

/** What is counted, its unit, and what it is for. */
const COUNTED = [
  ["every_days", "By days", "days", "Due so many days after it was done last."],
  ["every_metres", "By metres", "m", "Due when the machine has worked through so many metres since."],
  ["idle_hours", "By standing still", "hours", "Due when the machine has done nothing for so long."],
] as const;

const careQuery = (kind: Kind, machine_id: number) =>
  queryOptions({
    queryKey: ["care", kind, machine_id],
    queryFn: () => told(api.GET("/api/machines/{kind}/{machine_id}/care", { params: { path: { kind, machine_id } } })),
  });

/** What a machine wants again and again, and when it had it last; what is due stands on the Floor too. */
export function MachineCare({ kind, id }: { kind: Kind; id: number }) {
  const queries = useQueryClient();
  const query = careQuery(kind, id);
  const { data: all = [] } = useQuery(query);
  const path = { kind, machine_id: id };
  const ended = { onSuccess: () => void queries.invalidateQueries({ queryKey: query.queryKey }), onError: sayProblem };
  const add = useMutation({
    mutationFn: () =>
      told(api.POST("/api/machines/{kind}/{machine_id}/care", { params: { path }, body: { name: fresh(all), every_days: 7 } })),
    ...ended,
  });
  return (
    <Section title="Care">
      {all.map((one) => (
        <CareRow key={one.id} care={one} white={kind === "printer"} ended={ended} />
      ))}
      <TextButton disabled={add.isPending} onClick={() => add.mutate()}>
        Add care that comes back
      </TextButton>
    </Section>
  );
}

/** A name that it has not yet: the shop gives it its own. */
const fresh = (all: Care[]) => {
  let number = all.length + 1;
  while (all.some((one) => one.name === `Care ${number}`)) number += 1;
  return `Care ${number}`;
};

type Ended = { onSuccess: () => void; onError: (error: unknown) => void };

function CareRow({ care, white, ended }: { care: Care; white: boolean; ended: Ended }) {
  const [open, setOpen] = useState(care.name.startsWith("Care "));
  const path = { params: { path: { care_id: care.id } } };
  const change = useMutation({
    mutationFn: (body: Wish) => told(api.PATCH("/api/care/{care_id}", { ...path, body })),
    ...ended,
  });
  const done = useCareDone(ended);
  const since = day(care.last_at);
  return (
    <OpenRow
      label={care.name}
      shown={<span className={care.why ? "text-check-text" : ""}>{care.why ? "due" : often(care)}</span>}
      why={`Done last on ${since}${care.why ? `: ${care.why}` : ""}. What is due stands on the Floor.`}
      open={open}
      setOpen={setOpen}
    >
      <TextField label="What is done" value={care.name} longest={120} onChange={(name) => name.trim() && change.mutate({ name })} />
      {COUNTED.map(([name, label, suffix, why]) => (
        <NumberRow
          key={name}
          label={label}
          kind="plain"
          suffix={suffix}
          decimals={1}
          zero="not for that"
          value={care[name] ?? 0}
          least={0}
          most={100_000}
          why={why}
          onChange={(value) => change.mutate({ [name]: value || null })}
        />
      ))}
      {white && (
        <label className="flex min-h-9 items-center gap-2.5">
          <input
            type="checkbox"
            className="size-5 accent-pine"
            checked={care.before_white}
            onChange={(event) => change.mutate({ before_white: event.target.checked })}
          />
          Nothing with white is printed while it is due
        </label>
      )}
      <div className="mt-2 flex gap-2">
        <Button disabled={done.isPending} onClick={() => done.mutate(care.id)}>
          It was done now
        </Button>
        <Button disabled={change.isPending} onClick={() => change.mutate({ away: true })} aria-label={`Put ${care.name} away`}>
          Put away
        </Button>
      </div>
    </OpenRow>
  );
}

function often(care: Care): string {
  const said = [
    care.every_days !== null && `${figure(care.every_days, 1)} days`,
    care.every_metres !== null && `${figure(care.every_metres, 1)} m`,
    care.idle_hours !== null && `${figure(care.idle_hours, 1)} h still`,
  ];
  return said.filter(Boolean).join(", ");
}
