import { useQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { monthsQuery, recordsQuery } from "../api/useMoney";
import { buttonLook } from "../ui/Button";
import { clock, day } from "../ui/moments";
import { figure, metres } from "../ui/units";
import { MonthField, Pages, useLooking, WordsField } from "./looking";
import { MonthChart } from "./MonthChart";

type Record = Schemas["RecordShown"];
const A_PAGE = 100;
const VERDICTS = { go: ["go", "text-go"], check: ["check", "text-check-text"], stop: ["stop", "text-stop"] } as const;

/** What was printed and cut when, by which machine and how well; what was used and lost, month by month. */
export default function Records() {
  const looking = useLooking();
  const { text, month, skip, setMonth } = looking;
  const asked = useDeferredValue(text);
  const { data } = useQuery(recordsQuery(asked, month, skip));
  const { data: months } = useQuery(monthsQuery);
  const query = new URLSearchParams({ text: asked, ...(month ? { month } : {}) }).toString();
  return (
    <main className="flex min-w-0 flex-1 flex-col overflow-y-auto p-6 pt-5" aria-label="Records">
      <div className="mb-3 flex items-center gap-3">
        <h1 className="mr-auto">Records</h1>
        <a href="/api/records/months.csv" download className={`${buttonLook} h-9 px-3.5`}>
          Months as CSV
        </a>
      </div>
      {months && months.length > 0 && <MonthChart months={months} choose={(one) => setMonth(one === month ? "" : one)} />}
      <div className="mt-4 mb-3 flex items-center gap-3">
        <h2 className="mr-auto">Prints</h2>
        <WordsField label="Run, stock or machine" looking={looking} />
        <MonthField looking={looking} />
        <a href={`/api/records.csv?${query}`} download className={`${buttonLook} h-9 px-3.5`}>
          These as CSV
        </a>
      </div>
      <div className="rounded-[8px] border border-rule bg-paper px-3">
        <table className="w-full border-collapse">
          <thead>
            <tr className="border-b border-rule text-left text-[12px] text-slate">
              {["Printed", "Run", "On", "By", "Length", "Good", "Fit", "Expected", "Missed"].map((head, at) => (
                <th key={head} className={`py-2 pr-3 font-normal ${at >= 4 && at !== 6 ? "text-right" : ""}`}>
                  {head}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {data?.records.map((one) => (
              <Line key={`${one.sheet_id} ${one.at}`} record={one} />
            ))}
          </tbody>
        </table>
        {data?.records.length === 0 && (
          <p className="p-3 text-slate">{text || month ? "Nothing was printed so, or then." : "Nothing was printed yet."}</p>
        )}
      </div>
      <Pages looking={looking} size={A_PAGE} more={data?.more ?? false} />
    </main>
  );
}

function Line({ record }: { record: Record }) {
  const [verdict, tone] = record.verdict ? VERDICTS[record.verdict] : ["–", "text-slate"];
  const at = `${record.at}Z`;
  return (
    <tr className="border-b border-rule last:border-0">
      <td className="py-1.5 pr-3 whitespace-nowrap">
        {day(at)} <span className="text-slate">{clock(at)}</span>
      </td>
      <td className="max-w-[220px] py-1.5 pr-3">
        <Link to={`/print/${record.run_id}`} className="block truncate font-semibold hover:text-pine">
          {record.run}
        </Link>
        <span className="font-code text-[11px] text-slate">{record.name}</span>
      </td>
      <td className="max-w-[150px] truncate py-1.5 pr-3" title={record.roll}>
        {record.stock}
      </td>
      <td className="max-w-[170px] truncate py-1.5 pr-3">{[record.printer, record.cutter].filter(Boolean).join(" · ")}</td>
      <td className="py-1.5 pr-3 text-right whitespace-nowrap">
        {metres(record.length_mm)}
        {record.spoiled && <span className="block text-[12px] text-stop">spoiled</span>}
      </td>
      <td className="py-1.5 pr-3 text-right whitespace-nowrap">
        {record.good === null ? "–" : figure(record.good, 0)} <span className="text-slate">of {figure(record.pieces, 0)}</span>
      </td>
      <td className={`py-1.5 pr-3 font-semibold ${tone}`}>{verdict}</td>
      <td className="py-1.5 pr-3 text-right">{record.expected_mm === null ? "–" : `${figure(record.expected_mm, 2)} mm`}</td>
      <td className="py-1.5 pr-3 text-right">{record.missed_mm === null ? "–" : `${figure(record.missed_mm, 2)} mm`}</td>
    </tr>
  );
}
