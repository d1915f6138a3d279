import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import { useNavigate } from "react-router";
import { api, told } from "../api/client";
import { STATIONS } from "./Bar";
import { KEY_SHEET } from "./keys";
import { Key } from "./Readings";

type Shown = { open: boolean; close: () => void };
const panel = "fixed left-1/2 -translate-x-1/2 rounded-[8px] border border-rule bg-paper shadow-xl";

export function KeySheet({ open, close }: Shown) {
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/30" />
        <Dialog.Content aria-describedby={undefined} className={`${panel} top-[90px] w-[760px] p-6`}>
          <Dialog.Title className="text-[18px] font-semibold">Keys</Dialog.Title>
          <div className="mt-3 grid grid-cols-3 gap-x-8 gap-y-4">
            {KEY_SHEET.map(([place, keys]) => (
              <section key={place}>
                <h2>{place}</h2>
                {keys.map(([key, words]) => (
                  <div key={key} className="flex min-h-[30px] items-center justify-between border-b border-rule">
                    {words} <Key>{key}</Key>
                  </div>
                ))}
              </section>
            ))}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

export function Find({ open, close }: Shown) {
  const navigate = useNavigate();
  const designs = useQuery({ queryKey: ["designs"], queryFn: () => told(api.GET("/api/designs")), enabled: open });
  const runs = useQuery({ queryKey: ["runs"], queryFn: () => told(api.GET("/api/runs")), enabled: open });
  const go = (path: string) => {
    close();
    void navigate(path);
  };
  const item = "flex h-10 cursor-pointer items-center gap-3 rounded-[5px] px-3 data-[selected=true]:bg-pine-wash";
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/30" />
        <Dialog.Content aria-describedby={undefined} className={`${panel} top-[90px] w-[560px] p-2`}>
          <Dialog.Title className="sr-only">Find anything</Dialog.Title>
          <Command label="Find anything">
            <Command.Input autoFocus placeholder="A design, a run, a station" className="h-11 w-full border-b border-rule bg-transparent px-3 text-[15px] outline-none" />
            <Command.List className="mt-1 max-h-[420px] overflow-y-auto">
              <Command.Empty className="p-4 text-slate">Nothing has that name.</Command.Empty>
              {designs.data?.map((design) => (
                <Command.Item key={`d${design.id}`} value={`${design.name} ${design.customer} design ${design.id}`} onSelect={() => go(`/lines/${design.id}`)} className={item}>
                  <img src={`/api/designs/${design.id}/thumb`} alt="" className="h-8 w-8 object-contain" />
                  <b className="font-semibold">{design.name}</b>
                  <span className="text-slate">{design.customer}</span>
                </Command.Item>
              ))}
              {runs.data?.map((run) => (
                <Command.Item key={`r${run.id}`} value={`${run.name} run ${run.id}`} onSelect={() => go(`/run/${run.id}`)} className={item}>
                  <img src={run.thumb} alt="" className="h-8 w-8 object-contain" />
                  <b className="font-semibold">{run.name}</b>
                  <span className="text-slate">run of {run.pieces} pieces</span>
                </Command.Item>
              ))}
              {STATIONS.map(([path, name], index) => (
                <Command.Item key={path} value={`station ${name}`} onSelect={() => go(`/${path}`)} className={item}>
                  {name} <Key>{index + 1}</Key>
                </Command.Item>
              ))}
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
