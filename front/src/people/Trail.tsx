import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, told } from "../api/client";
import { Button, buttonLook } from "../ui/Button";
import { accountsQuery } from "./usePeople";
import { when } from "../ui/moments";

const FIELD = "h-9 rounded-[6px] border border-rule bg-white px-2.5";
type Entry = Schemas["TrailEntry"];

/** What was done and by whom, the newest first. */
export function Trail() {
  const { data: accounts } = useQuery(accountsQuery);
  const [text, setText] = useState("");
  const [who, setWho] = useState("");
  const [since, setSince] = useState("");
  const from = since ? new Date(`${since}T00:00`).toISOString() : undefined;
  const asked = { who, text, since: from };
  const trail = useInfiniteQuery({
    queryKey: ["trail", asked],
    queryFn: ({ pageParam }) => told(api.GET("/api/people/trail", { params: { query: { ...asked, skip: pageParam } } })),
    initialPageParam: 0,
    getNextPageParam: (last, all) => (last.more ? all.reduce((sum, page) => sum + page.entries.length, 0) : undefined),
    placeholderData: (held) => held,
  });
  const entries = trail.data?.pages.flatMap((page) => page.entries) ?? [];
  const file = new URLSearchParams({ who, text, ...(from ? { since: from } : {}) });
  return (
    <section aria-label="What was done">
      <h2 className="mb-2.5">What was done</h2>
      <div className="mb-2.5 flex flex-wrap items-center gap-2">
        <input
          type="search"
          aria-label="Find in what was done"
          placeholder="Find in what was done"
          value={text}
          onChange={(event) => setText(event.target.value)}
          className={`${FIELD} w-[220px]`}
        />
        <select aria-label="By whom" value={who} onChange={(event) => setWho(event.target.value)} className={FIELD}>
          <option value="">by anybody</option>
          {accounts?.map((one) => (
            <option key={one.id} value={one.name}>
              {one.name}
            </option>
          ))}
        </select>
        <label className="flex items-center gap-2 text-slate">
          since
          <input type="date" aria-label="Since" value={since} onChange={(event) => setSince(event.target.value)} className={FIELD} />
        </label>
        <a href={`/api/people/trail.csv?${file}`} download className={`${buttonLook} ml-auto h-9 px-2.5`}>
          Save as a table
        </a>
      </div>
      <table className="w-full border-collapse bg-paper">
        <thead className="text-left text-[12px] text-slate">
          <tr className="border-b border-rule">
            {["When", "Who", "What", "Of", "By"].map((words) => (
              <th key={words} className="px-2.5 py-1.5 font-normal">
                {words}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {entries.map((one) => (
            <Row key={one.id} one={one} />
          ))}
        </tbody>
      </table>
      {trail.data && entries.length === 0 && <p className="mt-2 text-slate">Nothing of that was done.</p>}
      {trail.hasNextPage && (
        <div className="mt-2.5">
          <Button looks onClick={() => void trail.fetchNextPage()}>
            Show more
          </Button>
        </div>
      )}
    </section>
  );
}

function Row({ one }: { one: Entry }) {
  const refused = one.outcome !== "done";
  return (
    <tr className="border-b border-rule">
      <td className="px-2.5 py-1.5 whitespace-nowrap text-slate">{when(one.at)}</td>
      <td className="max-w-[140px] truncate px-2.5 py-1.5 font-semibold">{one.who}</td>
      <td className={`px-2.5 py-1.5 ${refused ? "font-semibold text-stop" : ""}`}>
        {one.did}
        {refused && ": refused"}
      </td>
      <td className="max-w-[300px] truncate px-2.5 py-1.5 text-slate" title={`${one.name} ${one.what}`.trim()}>
        {one.name && <span className="mr-2 text-ink">{one.name}</span>}
        {one.what}
      </td>
      <td className="px-2.5 py-1.5 whitespace-nowrap text-slate">{one.way === "page" ? one.address : one.way}</td>
    </tr>
  );
}
