import { useQuery } from "@tanstack/react-query";
import { api, told } from "../api/client";
import { Button } from "../ui/Button";
import { Section } from "../ui/Row";
import { browsersQuery, useList } from "./usePeople";
import { when } from "../ui/moments";

/** Where one is signed in, and the way out of all others. */
export function Browsers() {
  const { data } = useQuery(browsersQuery);
  const leave = useList<typeof data, void>(browsersQuery.queryKey, () => told(api.DELETE("/api/people/me/browsers")));
  const end = useList<typeof data, number>(browsersQuery.queryKey, (browser_id) =>
    told(api.DELETE("/api/people/me/browsers/{browser_id}", { params: { path: { browser_id } } })),
  );
  if (!data) return null;
  return (
    <Section title="Where you are signed in">
      <ul>
        {data.map((one) => (
          <li key={one.id} className="flex items-center gap-2.5 border-b border-rule py-2">
            <div className="min-w-0 flex-1">
              <span className="block truncate font-semibold" title={one.program}>
                {one.here ? "Here" : browserIn(one.program)}
                {one.shared && ", a shared screen"}
              </span>
              <span className="text-[12px] text-slate">
                from {one.address || "this machine"}, last seen {when(one.seen_at)}
              </span>
            </div>
            {!one.here && (
              <Button
                looks
                narrow
                disabled={end.isPending}
                onClick={() => end.mutate(one.id)}
                aria-label={`Sign out: ${browserIn(one.program)}`}
              >
                Sign out
              </Button>
            )}
          </li>
        ))}
      </ul>
      {data.length > 2 && (
        <div className="mt-2.5">
          <Button looks onClick={() => leave.mutate()}>
            Sign out everywhere else
          </Button>
        </div>
      )}
    </Section>
  );
}

/** The machine a browser says it runs on. */
function browserIn(program: string) {
  const machine = /\(([^;)]+)/.exec(program)?.[1];
  return machine ? `A browser on ${machine}` : program.slice(0, 40) || "A program";
}
