import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useMay } from "../people/usePeople";
import { shownAs } from "../ui/moments";
import { Big, Readings } from "../ui/Readings";
import { Section } from "../ui/Row";
import { figure, metres } from "../ui/units";
import { Machines } from "./Machines";

type Floor = Schemas["FloorShown"];

const LINK = "flex min-h-[36px] items-center justify-between border-b border-rule hover:text-pine";

/** The day in three figures, the machines with what waits for them, rolls that run low, the week. */
export function Side({ floor, bar }: { floor: Floor; bar: Schemas["BarShown"] }) {
  return (
    <Readings label="Today">
      <div className="flex justify-between">
        <Big label="pieces good today" value={figure(floor.good_today, 0)} />
        <Big label="metres used" value={figure(floor.used_today_mm / 1000, 1)} />
        <Big label="late" value={figure(floor.late, 0)} tone={floor.late ? "text-stop" : ""} end />
      </div>
      {bar.still_open > 0 && (
        <Section title="The shop">
          <Link to="/set-up" className={LINK}>
            <span>Set it up</span>
            <b className="font-semibold text-check-text">{bar.still_open} open</b>
          </Link>
        </Section>
      )}
      <Machines machines={floor.machines} />
      {floor.low.length > 0 && (
        <Section title="Running low">
          {floor.low.map((roll) => (
            <div key={roll.name} className="flex min-h-[36px] items-center justify-between gap-3 border-b border-rule">
              <span className="truncate">{roll.name}</span>
              <b className="shrink-0 font-semibold text-check-text">
                {metres(roll.left_mm)} of {metres(roll.length_mm)}
              </b>
            </div>
          ))}
        </Section>
      )}
      <Week week={floor.week} />
    </Readings>
  );
}

const BAR_PX = 64;

/** Metres taken off rolls on each of the last seven days, and how much of it was spoiled. */
function Week({ week }: { week: Floor["week"] }) {
  const books = useMay("BOOKS");
  const most = Math.max(...week.map((day) => day.used_mm));
  if (most === 0) return null;
  const spoiled = week.reduce((sum, day) => sum + day.spoiled_mm, 0);
  const used = week.reduce((sum, day) => sum + day.used_mm, 0);
  return (
    <Section
      title="This week"
      aside={
        books && (
          <Link to="/floor/records" className="text-[13px] font-semibold text-pine hover:underline">
            Records
          </Link>
        )
      }
    >
      <div className="flex items-end gap-2" style={{ height: BAR_PX + 20 }}>
        {week.map((day) => (
          <div
            key={day.day}
            className="flex-1 text-center"
            title={`${day.day}: ${metres(day.used_mm)}, ${metres(day.spoiled_mm)} of it spoiled`}
          >
            <div className="mx-auto w-6 bg-pine" style={{ height: ((day.used_mm - day.spoiled_mm) / most) * BAR_PX }} />
            <div className="mx-auto w-6 bg-kraft" style={{ height: (day.spoiled_mm / most) * BAR_PX }} />
            <span className="text-[11px] text-slate">{weekday(day.day)}</span>
          </div>
        ))}
      </div>
      <p className="mt-1 text-[12px] text-slate">
        {metres(used)} printed · {metres(spoiled)} spoiled (brown)
      </p>
    </Section>
  );
}

const weekday = shownAs({ weekday: "narrow", timeZone: "UTC" });
