import { designsQuery, runsQuery } from "../api/keys";
import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { useNavigate } from "react-router";
import { STATIONS } from "./Bar";
import { KEY_SHEET, LETTERS } from "./keys";
import { useRemembered } from "./remembered";
import { Sheet } from "./Sheet";
import { Key } from "./Button";

type Shown = { open: boolean; close: () => void };

export function KeySheet({ open, close }: Shown) {
  const [letters, setLetters] = useRemembered(LETTERS, true);
  return (
    <Sheet open={open} close={close} title="Keys" width="w-[860px] p-6">
      <div className="mt-3 columns-3 gap-x-8">
        {KEY_SHEET.map(([place, keys]) => (
          <section key={place} className="mb-3 break-inside-avoid">
            <h2>{place}</h2>
            {keys.map(([key, words]) => (
              <div key={key} className="flex min-h-[28px] items-center justify-between border-b border-rule">
                {words} <Key>{key}</Key>
              </div>
            ))}
          </section>
        ))}
      </div>
      <label className="mt-2 flex min-h-9 items-center gap-2.5">
        <input
          type="checkbox"
          className="h-4 w-4 accent-(--color-pine)"
          checked={letters}
          onChange={(event) => setLetters(event.target.checked)}
        />
        Keys of a single letter or digit act. Without them those with Ctrl, Enter and the arrows still do.
      </label>
    </Sheet>
  );
}

export function Find({ open, close, showKeys }: Shown & { showKeys: () => void }) {
  const navigate = useNavigate();
  const designs = useQuery({ ...designsQuery, enabled: open });
  const runs = useQuery({ ...runsQuery, enabled: open });
  const go = (path: string) => {
    close();
    void navigate(path);
  };
  const item = "flex h-10 cursor-pointer items-center gap-3 rounded-[5px] px-3 data-[selected=true]:bg-pine-wash";
  return (
    <Sheet open={open} close={close} title="Find anything" titleShown={false} width="w-[560px] p-2">
      <Command label="Find anything">
        <Command.Input
          // eslint-disable-next-line jsx-a11y/no-autofocus -- the field is what Ctrl K asks for
          autoFocus
          placeholder="A design, a run, a station"
          className="h-11 w-full border-b border-rule bg-transparent px-3 text-[15px] outline-none"
        />
        <Command.List className="mt-1 max-h-[420px] overflow-y-auto">
          <Command.Empty className="p-4 text-slate">Nothing has that name.</Command.Empty>
          {designs.data?.map((design) => (
            <Command.Item
              key={`d${design.id}`}
              value={`${design.name} ${design.customer} design ${design.id}`}
              onSelect={() => go(`/lines/${design.id}`)}
              className={item}
            >
              <img src={`/api/designs/${design.id}/thumb`} alt="" loading="lazy" className="h-8 w-8 object-contain" />
              <b className="font-semibold">{design.name}</b>
              <span className="text-slate">{design.customer}</span>
            </Command.Item>
          ))}
          {runs.data?.map((run) => (
            <Command.Item key={`r${run.id}`} value={`${run.name} run ${run.id}`} onSelect={() => go(`/run/${run.id}`)} className={item}>
              <img src={run.thumb} alt="" loading="lazy" className="h-8 w-8 object-contain" />
              <b className="font-semibold">{run.name}</b>
              <span className="text-slate">run of {run.pieces} pieces</span>
            </Command.Item>
          ))}
          <Command.Item value="keys" onSelect={showKeys} className={item}>
            Keys <Key>?</Key>
          </Command.Item>
          {STATIONS.map(([path, name], index) => (
            <Command.Item key={path} value={`station ${name}`} onSelect={() => go(`/${path}`)} className={item}>
              {name} <Key>{index + 1}</Key>
            </Command.Item>
          ))}
        </Command.List>
      </Command>
    </Sheet>
  );
}
