import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { beginRun } from "../api/beginRun";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { barQuery, floorQuery } from "../api/keys";
import { usePasted, useTakeIn } from "../lines/takeIn";
import { Key } from "../ui/Button";
import { Empty } from "../ui/Empty";
import { useKeys } from "../ui/keys";
import { useLooksOnly } from "../ui/looksOnly";
import { pineLook } from "../ui/look";
import { metres } from "../ui/units";
import { Days } from "./Days";
import { Hands } from "./Hands";
import { Side } from "./Side";

/** What needs hands now, then open jobs by the day they are due; the machines and the week at the side. */
export function Floor() {
  const { data: floor, error } = useQuery(floorQuery);
  const { data: bar } = useQuery(barQuery);
  const { over, send, target } = useTakeIn();
  const looksOnly = useLooksOnly();
  usePasted(send);
  if (error) return <main className="flex-1 p-6">{error.message}</main>;
  if (!floor || !bar) return <main className="flex-1" />;
  if (floor.open === 0 && bar.bare) return <NoShopYet />;
  return (
    <>
      <main
        className={`flex min-w-0 flex-1 flex-col ${over ? "outline-2 -outline-offset-4 outline-pine" : ""}`}
        aria-label="Floor"
        {...target}
      >
        <h1 className="sr-only">Floor</h1>
        <div className="min-h-0 flex-1 overflow-y-auto px-6 pt-4 pb-4">
          <Hands hands={floor.hands} more={floor.more_hands} open={floor.open} />
          <Days days={floor.days} today={floor.today} />
          {floor.open === 0 && !looksOnly && <NothingOpen send={send} />}
        </div>
        {floor.together && !looksOnly && <Together together={floor.together} />}
      </main>
      <Side floor={floor} bar={bar} />
    </>
  );
}

/** Nothing is there yet: the first thing to do is to put the shop together. */
function NoShopYet() {
  return (
    <Empty label="Floor" title="Your shop is empty" to="/set-up" action="Set up the shop">
      Put your printer, a stock, film or none, and your cutter on the way of the work, in any order. Then drop the first art into Lines.
    </Empty>
  );
}

function NothingOpen({ send }: { send: (files: FileList) => void }) {
  return (
    <label className="mt-6 flex max-w-[560px] cursor-pointer items-center gap-4 rounded-[8px] border border-rule bg-paper p-5">
      <span>
        <b className="block text-[15px] font-semibold">No job is open.</b>
        <span className="text-slate">Drop art here: what is dropped together becomes one job.</span>
      </span>
      <span className={`shrink-0 rounded-[6px] px-3.5 py-2 font-semibold ${pineLook}`}>Choose art</span>
      <input
        type="file"
        multiple
        className="sr-only"
        aria-label="Art for a new job"
        onChange={(event) => event.target.files?.length && send(event.target.files)}
      />
    </label>
  );
}

/** Jobs that fit one run: one press makes it. */
function Together({ together }: { together: Schemas["TogetherShown"] }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const { jobs, stock, stock_id, saved_mm } = together;
  const make = useMutation({
    mutationFn: async () => {
      const items = await told(api.GET("/api/floor/together"));
      return beginRun({ name: jobs.slice(0, 3).join(" + ").slice(0, 110), items, stock_id });
    },
    onSuccess: (run) => void queries.invalidateQueries().then(() => navigate(`/run/${run.id}`)),
    onError: sayProblem,
  });
  const press = () => !make.isPending && make.mutate();
  useKeys({ r: press });
  const one = jobs.length === 1;
  return (
    <div className="mx-6 mb-4 flex shrink-0 items-center justify-between gap-4 rounded-[8px] border border-go-rule bg-pine-wash px-4 py-2">
      <span>
        <b className="font-semibold">{named(jobs)}</b> {one ? "waits for a run" : "fit one run"} on {stock}.{" "}
        {!one && saved_mm >= 10 && `Together saves about ${metres(saved_mm)}.`}
      </span>
      <button
        type="button"
        disabled={make.isPending}
        onClick={press}
        className={`flex shrink-0 items-center gap-3 rounded-[6px] px-3.5 py-2 font-semibold ${pineLook}`}
      >
        Make one run <Key onDark>R</Key>
      </button>
    </div>
  );
}

function named(jobs: string[]): string {
  if (jobs.length > 4) return `${jobs.slice(0, 3).join(", ")} and ${jobs.length - 3} more`;
  return jobs.length === 1 ? (jobs[0] ?? "") : `${jobs.slice(0, -1).join(", ")} and ${jobs.at(-1) ?? ""}`;
}
