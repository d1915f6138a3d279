import { Link } from "react-router";
import type { Schemas } from "../api/client";
import type { JobListed } from "../api/useJob";
import { figure } from "../ui/units";
import { dayTitle } from "./due";
import { Ribbon, TONES } from "./Ribbon";

type Day = Schemas["DayShown"];

/** Open jobs by the day they are due, late ones first; days with few jobs stand beside each other. */
export function Days({ days, today }: { days: Day[]; today: string }) {
  return (
    <div className="flex flex-wrap gap-x-5">
      {days.map((day) => {
        const title = day.key === "late" ? "Late" : day.key === "later" ? "Later, or without a day" : dayTitle(day.day ?? today, today);
        const hidden = day.count - day.jobs.length;
        return (
          <section key={day.day ?? day.key} aria-label={title} className="mt-4 max-w-full">
            <h2 className={`mb-2 flex items-baseline gap-2 ${day.key === "late" ? "text-stop" : ""}`}>
              {title}
              <span className="text-[12px] font-normal text-slate">{day.count === 1 ? "1 job" : `${figure(day.count, 0)} jobs`}</span>
              {hidden > 0 && (
                <Link to={wayTo(day)} className="text-[12px] font-semibold text-pine hover:underline">
                  {figure(hidden, 0)} more
                </Link>
              )}
            </h2>
            <div className="flex flex-wrap gap-2.5">
              {day.jobs.map((job) => (
                <JobCard key={job.id} job={job} />
              ))}
            </div>
          </section>
        );
      })}
    </div>
  );
}

const wayTo = (day: Day) => (day.day ? `/floor/jobs?month=${day.day.slice(0, 7)}` : "/floor/jobs");

function JobCard({ job }: { job: JobListed }) {
  return (
    <Link
      to={`/floor/job/${job.id}`}
      className="block w-[210px] rounded-[7px] border border-rule bg-paper px-3 pt-2.5 pb-2 hover:border-slate"
    >
      <span className="flex h-[42px] items-center gap-1.5">
        {job.designs.map((id) => (
          <img key={id} src={`/api/designs/${id}/thumb`} alt="" loading="lazy" className="h-[40px] max-w-[52px] object-contain" />
        ))}
        {job.designs.length === 0 && <span className="text-[12px] text-slate">no art yet</span>}
      </span>
      <b className="mt-1.5 block truncate leading-[18px] font-semibold">{job.name}</b>
      <span className="mt-0.5 flex justify-between gap-2 text-[12px] text-slate">
        <span className="truncate">{job.customer}</span>
        <span className="shrink-0">{job.pieces.due > 0 && figure(job.pieces.due, 0)}</span>
      </span>
      <span className="mt-1.5 block">
        <Ribbon steps={job.steps} />
      </span>
      <span className={`mt-1 block truncate text-[12px] ${TONES[job.tone]}`}>{job.words}</span>
    </Link>
  );
}
