import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { Choice } from "../ui/Choice";
import { shownAs } from "../ui/moments";
import { Labelled } from "../ui/Row";
import { NamedTile } from "./NamedTile";

type Clock = Schemas["ClockShown"];

const MOST_FOUND = 12;
const LOOK_MS = 30_000;
const clockQuery = queryOptions({
  queryKey: ["shop clock"],
  queryFn: () => told(api.GET("/api/clock")),
  refetchInterval: LOOK_MS,
});

export function ClockTile({ chosen, choose }: { chosen: boolean; choose: () => void }) {
  const { data } = useQuery(clockQuery);
  if (!data) return null;
  return (
    <section aria-label="Clock of the shop" className="mb-6">
      <h2 className="mb-2">Clock of the shop</h2>
      <div className="flex flex-wrap gap-2.5">
        <NamedTile name={data.zone ? placeOf(data.zone) : "That of the machine"} words={shown(data.time)} chosen={chosen} choose={choose} />
      </div>
    </section>
  );
}

/** Which days are meant by today, by the day of a print, by the hour of a copy: those of a place. */
export function ClockSettings() {
  const queries = useQueryClient();
  const { data } = useQuery(clockQuery);
  const [words, setWords] = useState("");
  const choose = useMutation({
    mutationFn: (zone: string) => told(api.PUT("/api/clock", { body: { zone } })),
    onSuccess: (fresh) => {
      queries.setQueryData(clockQuery.queryKey, fresh);
      setWords("");
      void queries.invalidateQueries();
    },
    onError: sayProblem,
  });
  if (!data) return null;
  return (
    <>
      <h1>Clock of the shop</h1>
      <p className="mt-1 mb-2 text-slate">
        Jobs are due, prints are counted and copies are made by its days and hours. It goes by the place that is chosen here, whatever the
        clock of the machine that Etiquette runs on says.
      </p>
      <p className="mb-3 text-[22px] font-semibold" aria-live="polite">
        {shown(data.time)}
      </p>
      <Choice label="Place of the clock" value={data.zone} choices={offered(data)} onChange={(zone) => choose.mutate(zone)} />
      <div className="mt-3">
        <Labelled words="Another place">
          <input
            aria-label="Another place"
            value={words}
            maxLength={60}
            placeholder="A large city of the time zone"
            onChange={(event) => setWords(event.target.value)}
            className="h-9 w-full rounded-[5px] border border-rule bg-white px-2.5"
          />
        </Labelled>
      </div>
      {words && <Found clock={data} words={words} choose={(zone) => choose.mutate(zone)} />}
    </>
  );
}

function Found({ clock: { zone, zones }, words, choose }: { clock: Clock; words: string; choose: (zone: string) => void }) {
  const wanted = words.toLowerCase().replaceAll(" ", "_");
  const holding = zones.filter((one) => one.toLowerCase().includes(wanted));
  const found = [...holding.filter((one) => cityBegins(one, wanted)), ...holding.filter((one) => !cityBegins(one, wanted))];
  if (found.length === 0) return <p className="mt-2 text-slate">No place of this name. Type a large city of your time zone.</p>;
  return (
    <div className="mt-2">
      <Choice
        label="Places found"
        value={zone}
        choices={found.slice(0, MOST_FOUND).map((one) => [one, placeOf(one)] as const)}
        onChange={choose}
      />
      {found.length > MOST_FOUND && <p className="mt-2 text-slate">{found.length - MOST_FOUND} more: type more of its name.</p>}
    </div>
  );
}

/** The machine's, this screen's, and the one that is chosen. */
function offered({ zone, zones }: Clock): [string, string][] {
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const named = [...new Set([zones.includes(here) ? here : "", zone].filter(Boolean))];
  return [
    ["", "that of the machine"],
    ...named.map((one): [string, string] => [one, one === here ? `as on this screen: ${placeOf(one)}` : placeOf(one)]),
  ];
}

const cityBegins = (zone: string, words: string) => zone.toLowerCase().includes(`/${words}`);
const placeOf = (zone: string) => zone.replaceAll("_", " ").replaceAll("/", ", ");

/** The clock's own figures: it says no zone, so the browser moves nothing. */
const shown = shownAs({ weekday: "long", day: "numeric", month: "long", hour: "2-digit", minute: "2-digit" });
