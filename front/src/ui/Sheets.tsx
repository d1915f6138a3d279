import { findQuery } from "../api/useJob";
import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { useDeferredValue, useState } from "react";
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
    <Sheet open={open} close={close} title="Keys" width="w-[1160px] p-6">
      <div className="mt-3 columns-4 gap-x-7">
        {KEY_SHEET.map(([place, keys]) => (
          <section key={place} className="mb-3 break-inside-avoid">
            <h2>{place}</h2>
            {keys.map(([key, words]) => (
              <div key={key} className="flex min-h-[26px] items-center justify-between border-b border-rule">
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

const valueOf = (one: { kind: string; path: string; name: string }) => `${one.kind} ${one.path} ${one.name}`.trim();

/** What is found of a text, by the server; stations and the sheet of keys by their names here. */
export function Find({ open, close, showKeys }: Shown & { showKeys: () => void }) {
  const navigate = useNavigate();
  const [text, setText] = useState("");
  const [chosen, choose] = useState("");
  const { data } = useQuery({ ...findQuery(useDeferredValue(text)), enabled: open && text.trim() !== "" });
  const found = text.trim() ? (data ?? []) : [];
  const named = (name: string) => name.toLowerCase().includes(text.trim().toLowerCase());
  const leave = () => {
    setText("");
    close();
  };
  const go = (path: string) => {
    leave();
    void navigate(path);
  };
  const others = [
    ...(named("All jobs") ? ["all jobs"] : []),
    ...(named("Keys") ? ["keys"] : []),
    ...STATIONS.filter(([, name]) => named(name)).map(([, name]) => `station ${name}`),
  ];
  // what Enter takes is always something that is there: what was chosen may be gone when an answer comes
  const values = [...found.map(valueOf), ...others];
  const taken = values.includes(chosen) ? chosen : (values[0] ?? "");
  const item = "flex h-10 cursor-pointer items-center gap-3 rounded-[5px] px-3 data-[selected=true]:bg-pine-wash";
  return (
    <Sheet open={open} close={leave} title="Find anything" titleShown={false} width="w-[560px] p-2">
      <Command label="Find anything" shouldFilter={false} value={taken} onValueChange={choose}>
        <Command.Input
          // eslint-disable-next-line jsx-a11y/no-autofocus -- the field is what Ctrl K asks for
          autoFocus
          placeholder="A job, a customer, a design, a frame code, a machine"
          value={text}
          onValueChange={setText}
          className="h-11 w-full border-b border-rule bg-transparent px-3 text-[15px] outline-none"
        />
        <Command.List className="mt-1 max-h-[420px] overflow-y-auto">
          <Command.Empty className="p-4 text-slate">Nothing has that name.</Command.Empty>
          {found.map((one) => (
            <Command.Item key={`${one.kind}${one.path}${one.name}`} value={valueOf(one)} onSelect={() => go(one.path)} className={item}>
              <span className="flex h-8 w-8 shrink-0 items-center justify-center">
                {one.thumb && <img src={one.thumb} alt="" loading="lazy" className="max-h-full max-w-full object-contain" />}
              </span>
              <b className={`truncate font-semibold ${one.kind === "frame" ? "font-code" : ""}`}>{one.name}</b>
              <span className="truncate text-slate">{one.words}</span>
            </Command.Item>
          ))}
          {named("All jobs") && (
            <Command.Item value="all jobs" onSelect={() => go("/floor/jobs")} className={item}>
              All jobs
            </Command.Item>
          )}
          {named("Keys") && (
            <Command.Item value="keys" onSelect={showKeys} className={item}>
              Keys <Key>?</Key>
            </Command.Item>
          )}
          {STATIONS.filter(([, name]) => named(name)).map(([path, name]) => (
            <Command.Item key={path} value={`station ${name}`} onSelect={() => go(`/${path}`)} className={item}>
              {name} <Key>{STATIONS.findIndex(([one]) => one === path) + 1}</Key>
            </Command.Item>
          ))}
        </Command.List>
      </Command>
    </Sheet>
  );
}
