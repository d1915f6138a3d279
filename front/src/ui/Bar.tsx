import { Popover } from "radix-ui";
import type { Schemas } from "../api/client";
import { useBar } from "../api/useBar";
import { useMay } from "../people/usePeople";
import { Who } from "../people/Who";
import { NavLink } from "react-router";
import { Key } from "./Button";
import { sheetLook, whiteLook } from "./look";
import { figure, useUnit } from "./units";

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

export function Bar({ find, help }: { find: () => void; help: () => void }) {
  const bar = useBar();
  const { unit, toggle } = useUnit();
  const may = { books: useMay("BOOKS"), prepare: useMay("PREPARE") };
  const live: Record<string, string> = bar
    ? {
        floor: `${figure(bar.open, 0)} open`,
        lines: `${figure(bar.to_check, 0)} to check`,
        run: `${figure(bar.planned, 0)} planned`,
        print: `${figure(bar.printing, 0)} sending`,
        bench: `${figure(bar.to_cut, 0)} to cut`,
        shelf: bar.rolls === 1 ? "1 roll" : `${figure(bar.rolls, 0)} rolls`,
      }
    : {};
  return (
    <header className="flex h-[54px] shrink-0 items-stretch border-b border-rule bg-paper pr-[18px] pl-[21px]">
      <div className="mr-7 flex items-center gap-2.5 text-[19px] font-bold tracking-tight max-[1180px]:mr-3">
        <svg width="19" height="19" viewBox="0 0 19 19" aria-hidden="true">
          <path d="M0 0H19V11L11 19H0Z" fill="var(--color-pine)" />
          <path d="M11 19V11H19Z" fill="var(--color-kraft)" />
        </svg>
        <span className="max-[1180px]:sr-only">Etiquette</span>
      </div>
      <nav aria-label="Stations" className="flex shrink-0">
        {STATIONS.filter(([path]) => path !== "shelf" || may.books).map(([path, name], index) => (
          <NavLink
            key={path}
            to={`/${path}`}
            title={`${name} (${index + 1})`}
            className={({ isActive }) =>
              `-mb-px flex min-w-[64px] flex-col justify-center border-x border-t-4 px-[14px] pb-1 max-[900px]:px-2 ${
                isActive ? HERE : ELSEWHERE
              }`
            }
          >
            <span className="text-[14px] leading-5 font-semibold">{name}</span>
            <span className="text-[11px] leading-4 whitespace-nowrap text-slate">{live[path] ?? "\u00a0"}</span>
          </NavLink>
        ))}
      </nav>
      <div className="ml-auto flex min-w-0 items-center gap-3.5 pl-3 max-[900px]:gap-2">
        <button
          type="button"
          onClick={find}
          className={`flex h-[34px] w-[170px] min-w-[76px] items-center justify-between gap-2 rounded-[6px] px-2.5 text-slate ${whiteLook}`}
        >
          <span className="truncate">Find anything</span>
          <span className="shrink-0 max-[1100px]:hidden">
            <Key>Ctrl K</Key>
          </span>
        </button>
        {bar && bar.lamps.length > 0 && <Lamps lamps={bar.lamps} />}
        <button
          type="button"
          onClick={help}
          title="Help for this station (F1)"
          aria-label="Help"
          className={`h-[30px] w-9 shrink-0 rounded-[6px] font-semibold text-slate ${whiteLook}`}
        >
          F1
        </button>
        <button
          type="button"
          onClick={toggle}
          aria-label={`Units: ${unit}`}
          className="h-[30px] w-10 shrink-0 rounded-[6px] border border-rule bg-white font-semibold hover:border-slate"
        >
          {unit}
        </button>
        {!may.prepare && <span className="text-[12px] text-slate">you may look, not change</span>}
        <Who />
      </div>
    </header>
  );
}

/** One lamp for all machines, with the worst state; it opens their list. */
function Lamps({ lamps }: { lamps: Schemas["Lamp"][] }) {
  const dark = lamps.filter((lamp) => !lamp.on);
  const words = dark.length === 0 ? `${lamps.length} ${lamps.length === 1 ? "machine" : "machines"}` : `${dark[0]?.name} off`;
  return (
    <Popover.Root>
      <Popover.Trigger className="flex min-h-9 shrink-0 items-center gap-1.5 text-[12px] whitespace-nowrap text-slate hover:text-ink">
        <Light on={dark.length === 0} />
        <span className="max-[900px]:sr-only">{dark.length > 1 ? `${dark.length} machines off` : words}</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className={`w-[280px] p-3 ${sheetLook}`} aria-label="Machines">
          {lamps.map((lamp) => (
            <div key={lamp.name} className="flex min-h-9 items-center gap-2 border-b border-rule last:border-b-0">
              <Light on={lamp.on} />
              <span className="flex-1 truncate">{lamp.name}</span>
              <span className={lamp.on ? "text-slate" : "font-semibold text-stop"}>{lamp.on ? "answers" : "does not answer"}</span>
            </div>
          ))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Light({ on }: { on: boolean }) {
  return <span aria-hidden="true" className={`h-2.5 w-2.5 shrink-0 ${on ? "rounded-full bg-go" : "rotate-45 bg-stop"}`} />;
}
