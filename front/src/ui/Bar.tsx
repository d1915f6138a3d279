import { floorQuery, lampsQuery } from "../api/keys";
import { useQuery } from "@tanstack/react-query";
import { NavLink } from "react-router";
import { Key } from "./Button";
import { useUnit } from "./units";
import { whiteLook } from "./look";

const HERE = "border-x-rule border-t-pine bg-felt";
const ELSEWHERE = "border-x-transparent border-t-transparent hover:bg-felt/50";

export const STATIONS = [
  ["floor", "Floor"],
  ["lines", "Lines"],
  ["run", "Run"],
  ["print", "Print"],
  ["bench", "Bench"],
  ["shelf", "Shelf"],
] as const;

export function Bar({ find }: { find: () => void }) {
  const { data: floor } = useQuery(floorQuery);
  const { data: lamps } = useQuery(lampsQuery);
  const { unit, toggle } = useUnit();
  const count = (...columns: string[]) => floor?.cards.filter((card) => columns.includes(card.column)).length ?? 0;
  const live: Record<string, string> = {
    floor: `${count("lines", "ready", "printing", "film", "cutter")} open`,
    lines: `${count("lines")} to check`,
    run: `${floor?.cards.filter((card) => card.kind === "run" && card.column === "ready").length ?? 0} planned`,
    print: `${count("printing")} sending`,
    bench: `${count("cutter")} to cut`,
    shelf: floor?.rolls.length === 1 ? "1 roll" : `${floor?.rolls.length ?? 0} rolls`,
  };
  return (
    <header className="flex h-[54px] shrink-0 items-stretch border-b border-rule bg-paper pr-[18px] pl-[21px]">
      <div className="mr-7 flex items-center gap-2.5 text-[19px] font-bold tracking-tight">
        <svg width="19" height="19" viewBox="0 0 19 19" aria-hidden="true">
          <path d="M0 0H19V11L11 19H0Z" fill="var(--color-pine)" />
          <path d="M11 19V11H19Z" fill="var(--color-kraft)" />
        </svg>
        Etiquette
      </div>
      <nav aria-label="Stations" className="flex">
        {STATIONS.map(([path, name], index) => (
          <NavLink
            key={path}
            to={`/${path}`}
            title={`${name} (${index + 1})`}
            className={({ isActive }) =>
              `-mb-px flex min-w-[64px] flex-col justify-center border-x border-t-4 px-[14px] pb-1 ${isActive ? HERE : ELSEWHERE}`
            }
          >
            <span className="text-[14px] leading-5 font-semibold">{name}</span>
            <span className="text-[11px] leading-4 whitespace-nowrap text-slate">{floor ? live[path] : "\u00a0"}</span>
          </NavLink>
        ))}
      </nav>
      <div className="ml-auto flex items-center gap-3.5">
        <button
          type="button"
          onClick={find}
          className={`flex h-[34px] w-[170px] items-center justify-between rounded-[6px] px-2.5 text-slate ${whiteLook}`}
        >
          Find anything <Key>Ctrl K</Key>
        </button>
        {lamps?.map((lamp) => (
          <span
            key={lamp.name}
            className="flex items-center gap-1.5 text-[12px] whitespace-nowrap text-slate"
            title={lamp.on ? `${lamp.name} is listening` : `${lamp.name} is not listening`}
          >
            <span aria-hidden="true" className={`h-2.5 w-2.5 ${lamp.on ? "rounded-full bg-go" : "rotate-45 bg-stop"}`} />
            {lamp.name}
            {!lamp.on && <b className="text-stop">off</b>}
          </span>
        ))}
        <button
          type="button"
          onClick={toggle}
          aria-label={`Units: ${unit}`}
          className="h-[30px] w-10 rounded-[6px] border border-rule bg-white font-semibold hover:border-slate"
        >
          {unit}
        </button>
      </div>
    </header>
  );
}
