import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { Action } from "../ui/Button";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { figure } from "../ui/units";
import { when } from "../ui/moments";
import { NamedTile } from "./NamedTile";

type Finished = Schemas["FinishedShown"];
type Wish = Pick<Finished, "way" | "days">;

const finishedQuery = (wish?: Wish) =>
  queryOptions({
    queryKey: ["finished work", wish?.way ?? "", wish?.days ?? 0],
    queryFn: () => told(api.GET("/api/finished-work", { params: { query: wish ?? {} } })),
    placeholderData: (before) => before,
  });

const WAYS: [Finished["way"], string, string][] = [
  ["kept", "is kept", "Nothing goes by itself."],
  [
    "without print files",
    "is kept without its print files",
    "Art, lines, layouts and records stay; print files are made again when they are needed.",
  ],
  [
    "cleared",
    "is cleared",
    "Art, lines, print files and files kept with it go for good. Counts, proofs, slips and records stay; it is found by its name.",
  ],
];

export function FinishedTile({ chosen, choose }: { chosen: boolean; choose: () => void }) {
  const { data } = useQuery(finishedQuery());
  if (!data) return null;
  const words = WAYS.find(([way]) => way === data.way)?.[1] ?? "";
  return (
    <section aria-label="Finished work" className="mb-6">
      <h2 className="mb-2">Finished work</h2>
      <div className="flex flex-wrap gap-2.5">
        <NamedTile
          name="What happens to it"
          words={data.way === "kept" ? words : `${words} after ${data.days} days`}
          chosen={chosen}
          choose={choose}
        />
      </div>
    </section>
  );
}

/** What happens to jobs all of which was handed over: looked at with what it would take, before it is chosen. */
export function FinishedSettings() {
  const queries = useQueryClient();
  const { data: held } = useQuery(finishedQuery());
  const [wish, setWish] = useState<Wish | null>(null);
  const { data: seen } = useQuery({ ...finishedQuery(wish ?? undefined), enabled: wish !== null });
  const choose = useMutation({
    mutationFn: (body: Wish) => told(api.PUT("/api/finished-work", { body })),
    onSuccess: () => {
      setWish(null);
      void queries.invalidateQueries({ queryKey: ["finished work"] });
    },
    onError: sayProblem,
  });
  if (!held) return null;
  const now = wish ?? held;
  const shown = wish && seen?.way === wish.way && seen.days === wish.days ? seen : wish ? null : held;
  const set = (changes: Partial<Wish>) => setWish({ way: now.way, days: now.days, ...changes });
  const changed = now.way !== held.way || (now.way !== "kept" && now.days !== held.days);
  return (
    <>
      <h1>Finished work</h1>
      <p className="mt-1 mb-2 text-slate">
        A job is finished when all that is due was handed over. What is under way, or shared with it, stays.
      </p>
      <ChoiceRow
        label="Finished work"
        value={now.way}
        choices={WAYS.map(([way, words]) => [way, words])}
        why={WAYS.find(([way]) => way === now.way)?.[2] ?? ""}
        onChange={(way) => set({ way: way as Finished["way"] })}
      />
      {now.way !== "kept" && (
        <NumberRow
          label="After"
          kind="plain"
          suffix="days"
          decimals={0}
          value={now.days}
          least={1}
          most={3650}
          why="So long after the last pieces of the job were handed over."
          onChange={(days) => set({ days: Math.round(days) })}
        />
      )}
      {now.way !== "kept" && shown && <p className="mt-3">{gone(shown)}</p>}
      <p className="mt-3 text-slate">{collected(held)}</p>
      {changed && (
        <div className="mt-3 flex flex-col gap-2">
          <Action main disabled={choose.isPending || !shown} onClick={() => choose.mutate(now)}>
            Do so from now on
          </Action>
          <Action onClick={() => setWish(null)}>Leave it as it was</Action>
        </div>
      )}
    </>
  );
}

/** What nothing needs goes by itself, whatever was chosen. */
function collected({ collected_at, collected_files, collected_bytes }: Finished): string {
  const always =
    "Files that nothing needs any more, of settings that were tried and runs that were changed, go by themselves after a month.";
  if (!collected_at) return always;
  const went = collected_files ? `${files(collected_files)} went, ${megabytes(collected_bytes)}` : "none went";
  return `${always} Looked for last on ${when(collected_at)}: ${went}.`;
}

const files = (count: number) => `${figure(count, 0)} ${count === 1 ? "file" : "files"}`;
const megabytes = (bytes: number) => `${figure(bytes / 1e6, bytes < 1e7 ? 1 : 0)} MB`;

function gone({ jobs, print_files, bytes }: Finished): string {
  const parts = [
    jobs && `${figure(jobs, 0)} ${jobs === 1 ? "job" : "jobs"}`,
    print_files && `the print files of ${figure(print_files, 0)} ${print_files === 1 ? "frame" : "frames"}`,
  ];
  const words = parts.filter(Boolean).join(" and ");
  return words ? `As things are now, ${words} go within the hour: about ${megabytes(bytes)}.` : "As things are now, nothing would go.";
}
