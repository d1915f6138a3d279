import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Job } from "../api/useJob";
import { type Quote, quotesQuery, spentQuery } from "../api/useMoney";
import { Button, buttonLook } from "../ui/Button";
import { Note } from "../ui/Card";
import { figure } from "../ui/units";

const FIRST = [1, 2, 5];
const MOST = 5;
const CELL = "py-1.5 pr-3 pl-4 text-right";

/** What the job will cost for several counts side by side, and what it has cost so far. */
export function Money({ job }: { job: Job }) {
  const [times, setTimes] = useState(FIRST);
  const parts = job.parts.map((part) => `${part.id}:${part.width_mm}:${part.runs.length}`);
  const version = `${job.version} ${job.pieces.due} ${job.next.designs} ${parts.join()}`;
  const { data: made, error } = useQuery(quotesQuery(job.id, version, times));
  const { data: spent } = useQuery(spentQuery(job.id, `${version} ${job.pieces.printed} ${job.pieces.cut} ${job.pieces.good}`));
  if (error) return <Note>{error.message}</Note>;
  if (!made) return null;
  const so = spent?.quote;
  const columns = [...made.quotes, ...(so ? [so] : [])];
  const words = [...new Set(columns.flatMap((one) => one.parts.map((part) => part.words)))];
  const asked = times.map((one) => `times=${one}`).join("&");
  return (
    <section aria-label="What it costs" className="mt-5 rounded-[7px] border border-rule bg-paper px-4 py-3">
      <div className="mb-1 flex items-center justify-between gap-3">
        <h2>What it costs</h2>
        <span className="flex gap-2">
          <a href={`/api/jobs/${job.id}/quote?as=pdf&${asked}`} target="_blank" rel="noreferrer" className={`${buttonLook} h-9 px-2.5`}>
            Quote as PDF
          </a>
          <a href={`/api/jobs/${job.id}/quotes.csv?${asked}`} download className={`${buttonLook} h-9 px-2.5`}>
            Table as CSV
          </a>
        </span>
      </div>
      <table className="w-full border-collapse">
        <thead>
          <tr className="border-b border-rule align-bottom">
            <th className="py-1.5 text-left font-normal text-slate">on {made.stock}</th>
            {made.quotes.map((one, at) => (
              <th key={one.times} className={`${CELL} font-semibold`}>
                <Count quote={one} drop={times.length > 1 ? () => setTimes(times.filter((_, which) => which !== at)) : undefined} />
              </th>
            ))}
            {so && (
              <th className={`${CELL} bg-pine-wash font-semibold`}>
                so far
                <span className="block text-[12px] font-normal text-slate">{figure(so.pieces, 0)} printed</span>
              </th>
            )}
          </tr>
        </thead>
        <tbody>
          {words.map((name) => (
            <tr key={name} className="border-b border-rule">
              <td className="py-1.5">{name}</td>
              {columns.map((one, at) => (
                <Amount key={at} quote={one} name={name} last={at >= made.quotes.length} />
              ))}
            </tr>
          ))}
          <Sum words="Cost" of="cost" columns={columns} plans={made.quotes.length} />
          <Sum words="Price with the margin" of="price" columns={columns} plans={made.quotes.length} strong />
          <Sum words="Each piece" of="each" columns={columns} plans={made.quotes.length} />
        </tbody>
      </table>
      <div className="mt-2 flex flex-wrap items-center gap-2 text-[12px] text-slate">
        <span className="mr-auto">
          {made.currency} · length {made.by_run ? "by the layout of its run" : "about, by the boxes of its designs"}; ink about, by its
          colours
        </span>
        {times.length < MOST && <MoreCounts times={times} add={(by) => setTimes([...times, by].sort((a, b) => a - b))} />}
      </div>
      {made.lacks.map((one) => (
        <Note key={one}>{one}</Note>
      ))}
    </section>
  );
}

function Count({ quote, drop }: { quote: Quote; drop?: () => void }) {
  return (
    <>
      {figure(quote.pieces, 0)}
      <span className="block text-[12px] font-normal text-slate">
        {quote.times === 1 ? "as due" : `${quote.times} times`}
        {drop && (
          <button type="button" onClick={drop} aria-label={`Leave out ${quote.pieces} pieces`} className="ml-1.5 font-semibold text-pine">
            ×
          </button>
        )}
      </span>
    </>
  );
}

function Amount({ quote, name, last }: { quote: Quote; name: string; last: boolean }) {
  const part = quote.parts.find((one) => one.words === name);
  return (
    <td className={`${CELL} ${last ? "bg-pine-wash" : ""}`}>
      {part ? part.amount : "–"}
      {part?.minutes ? <span className="ml-1.5 text-[12px] text-slate">{figure(part.minutes, 0)} min</span> : null}
    </td>
  );
}

type SumProps = { words: string; of: "cost" | "price" | "each"; columns: Quote[]; plans: number; strong?: boolean };

function Sum({ words, of, columns, plans, strong }: SumProps) {
  return (
    <tr className="border-b border-rule last:border-0">
      <td className={`py-1.5 ${strong ? "font-semibold" : ""}`}>{words}</td>
      {columns.map((one, at) => (
        <td key={at} className={`${CELL} ${strong ? "text-[15px]" : ""} font-semibold ${at >= plans ? "bg-pine-wash" : ""}`}>
          {one[of]}
        </td>
      ))}
    </tr>
  );
}

/** Another multiple of what is due. */
function MoreCounts({ times, add }: { times: number[]; add: (by: number) => void }) {
  return (
    <>
      {[1, 2, 3, 5, 10, 20]
        .filter((one) => !times.includes(one))
        .slice(0, 3)
        .map((one) => (
          <Button key={one} narrow onClick={() => add(one)}>
            {one === 1 ? "As due" : `${one} times`}
          </Button>
        ))}
    </>
  );
}
