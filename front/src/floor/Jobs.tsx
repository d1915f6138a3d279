import { useQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, told } from "../api/client";
import { sayProblem } from "../api/held";
import { barQuery } from "../api/keys";
import { type JobListed, jobsQuery } from "../api/useJob";
import { Button } from "../ui/Button";
import { figure } from "../ui/units";
import { dateFrom, dueWords } from "./due";
import { TakeJob } from "./TakeJob";
import { MonthField, Pages, useLooking, WordsField } from "./looking";
import { Ribbon, TONES } from "./Ribbon";

const A_PAGE = 60;
/** Pictures, name, customer, pieces, how far they are, day. */
const COLUMNS = "grid-cols-[132px_1.4fr_1fr_60px_1.1fr_80px]";

/** Every job there ever was, by name, customer and month. */
export default function Jobs() {
  const navigate = useNavigate();
  const [asks] = useSearchParams();
  const looking = useLooking(asks.get("month") ?? "");
  const { text, month, skip } = looking;
  const asked = useDeferredValue(text);
  const { data: bar } = useQuery(barQuery);
  const { data } = useQuery({ ...jobsQuery(asked, month, skip), placeholderData: (before) => before });
  const add = () =>
    told(api.POST("/api/jobs", { body: { name: "New job", customer: "" } })).then((job) => navigate(`/floor/job/${job.id}`), sayProblem);
  return (
    <main className="flex min-w-0 flex-1 flex-col overflow-y-auto p-6 pt-5" aria-label="All jobs">
      <div className="mb-3 flex items-center gap-3">
        <h1 className="mr-auto">All jobs</h1>
        <WordsField label="Name or customer" looking={looking} />
        <span className="flex items-center gap-2">
          <span className="text-slate">Due in</span>
          <MonthField looking={looking} />
        </span>
        <TakeJob />
        <Button onClick={() => void add()}>New job</Button>
      </div>
      <div className="rounded-[8px] border border-rule bg-paper">
        {data?.jobs.map((job) => (
          <JobRow key={job.id} job={job} today={bar?.today ?? ""} />
        ))}
        {data?.jobs.length === 0 && (
          <p className="p-4 text-slate">
            {text || month ? "No job is called so, or is due then." : "No job yet. Art that is dropped into Lines becomes one."}
          </p>
        )}
      </div>
      <Pages looking={looking} size={A_PAGE} more={data?.more ?? false} />
    </main>
  );
}

function JobRow({ job, today }: { job: JobListed; today: string }) {
  const [when, tone] = job.done ? [job.due && dateFrom(job.due, today), "text-slate"] : dueWords(job.due, today);
  return (
    <Link
      to={`/floor/job/${job.id}`}
      className={`grid min-h-[58px] items-center gap-4 border-b border-rule px-3 last:border-b-0 hover:bg-pine-wash ${COLUMNS}`}
    >
      <span className="flex h-10 items-center gap-1.5">
        {job.designs.map((id) => (
          <img key={id} src={`/api/designs/${id}/thumb`} alt="" loading="lazy" className="h-9 w-10 object-contain" />
        ))}
      </span>
      <b className="truncate font-semibold">{job.name}</b>
      <span className="truncate text-slate">{job.customer}</span>
      <span className="text-right">{figure(job.pieces.due, 0)}</span>
      <span>
        <Ribbon steps={job.steps} />
        <span className={`mt-1 block truncate text-[12px] ${TONES[job.tone]}`}>{job.words}</span>
      </span>
      <span className={`text-right text-[12px] ${tone}`}>{when}</span>
    </Link>
  );
}
