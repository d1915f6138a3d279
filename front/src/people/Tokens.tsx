import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, told } from "../api/client";
import { Action } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { Form, Line, Send, Tick } from "./Slip";
import { type Token, tokensQuery, useList } from "./usePeople";
import { when } from "../ui/moments";

type TokenRight = Token["rights"][number];
const RIGHTS: [TokenRight, string][] = [
  ["SEE", "see jobs, designs, runs"],
  ["BOOKS", "see costs, records, folders"],
  ["PREPARE", "send orders, prepare work"],
  ["PRINT", "print"],
  ["CUT", "cut"],
  ["KEEP", "change the Shelf"],
];
const ENDS: [string, string][] = [
  ["30", "in a month"],
  ["365", "in a year"],
  ["730", "in two years"],
];

export function TokenSettings({ id, ended }: { id: number; ended: () => void }) {
  const { data } = useQuery(tokensQuery);
  const one = data?.find((token) => token.id === id);
  const end = useList<Token[], void>(tokensQuery.queryKey, () =>
    told(api.DELETE("/api/people/tokens/{token_id}", { params: { path: { token_id: id } } })),
  );
  if (!one) return null;
  return (
    <>
      <h1>{one.name}</h1>
      <p className="mt-1 text-slate">
        Made by {one.made_by} on {when(one.made_at)}, last seen {when(one.seen_at)}, ends on {when(one.expires_at)}.
      </p>
      <p className="mt-2">
        It may{" "}
        {RIGHTS.filter(([right]) => one.rights.includes(right) || right === "SEE")
          .map(([, words]) => words)
          .join("; ")}
        .
      </p>
      <div className="mt-3">
        <Action looks onClick={() => end.mutate(undefined, { onSuccess: ended })}>
          End it now
        </Action>
      </div>
    </>
  );
}

/** What another system shows; told this once. */
export function NewToken() {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [rights, setRights] = useState<TokenRight[]>(["SEE", "PREPARE"]);
  const [days, setDays] = useState("365");
  const make = useMutation({
    mutationFn: () => told(api.POST("/api/people/tokens", { body: { name, rights, days: Number(days) } })),
    onSuccess: () => void queries.invalidateQueries(tokensQuery),
  });
  if (make.data)
    return (
      <>
        <h1>{make.data.token.name}</h1>
        <p className="mt-2">Give this to the other system. It is shown this once.</p>
        <p className="my-2 rounded-[5px] border border-rule bg-white p-2 font-code text-[12px] break-all select-all">{make.data.key}</p>
        <p className="text-[12px] text-slate">
          It is sent with each request: <span className="font-code">Authorization: Bearer etq_…</span>
        </p>
      </>
    );
  return (
    <>
      <h1>A token for another system</h1>
      <Form send={() => make.mutate()} problem={make.error}>
        <Line words="What it is called" value={name} maxLength={60} grab onChange={(event) => setName(event.target.value)} />
        <fieldset className="mt-3">
          <legend className="font-semibold">It may</legend>
          {RIGHTS.map(([right, words]) => (
            <Tick
              key={right}
              words={words}
              checked={right === "SEE" || rights.includes(right)}
              set={(on) => setRights(on ? [...rights, right] : rights.filter((one) => one !== right))}
            />
          ))}
        </fieldset>
        <p className="mt-3 mb-1.5 font-semibold">It ends</p>
        <Choice label="It ends" value={days} choices={ENDS} onChange={setDays} />
        <Send disabled={!name || make.isPending}>Make the token</Send>
      </Form>
    </>
  );
}
