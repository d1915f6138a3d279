import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, Problem, told } from "../api/client";
import { useRemembered } from "../ui/remembered";
import { Form, Line, Send, Slip, Tick } from "./Slip";
import { startQuery, useTurn } from "./usePeople";

/** By name and password, and a code where the account wants one. */
export function SignIn() {
  const { data: start } = useQuery(startQuery);
  if (start && !start.owner) return <NobodyYet />;
  return (
    <Slip title="Sign in">
      <Fields />
      <p className="mt-3 text-[12px] text-slate">Forgotten? An owner makes you a link.</p>
    </Slip>
  );
}

function Fields() {
  const turn = useTurn();
  const [name, setName] = useState("");
  const [shared, setShared] = useRemembered("a shared screen", false);
  const [password, setPassword] = useState("");
  const [code, setCode] = useState<string | null>(null);
  const send = useMutation({
    mutationFn: () => told(api.POST("/api/people/sign-in", { body: { name, password, code, shared } })),
    onSuccess: turn,
    onError: (problem) => {
      if (problem instanceof Problem && problem.where === "code") setCode((held) => held ?? "");
    },
  });
  const asks = code === "" && send.error instanceof Problem && send.error.where === "code";
  return (
    <Form send={() => send.mutate()} problem={asks ? null : send.error}>
      <Line words="Name" value={name} autoComplete="username" grab={!name} onChange={(event) => setName(event.target.value)} />
      <Line
        words="Password"
        type="password"
        value={password}
        autoComplete="current-password"
        grab={!!name}
        onChange={(event) => setPassword(event.target.value)}
      />
      {code !== null && (
        <Line
          words="Code of your authenticator"
          inputMode="numeric"
          autoComplete="one-time-code"
          grab
          value={code}
          onChange={(event) => setCode(event.target.value)}
        />
      )}
      <Tick words="Several people work at this screen" checked={shared} set={setShared} />
      <Send disabled={!name || !password || send.isPending}>Sign in</Send>
    </Form>
  );
}

function NobodyYet() {
  return (
    <Slip title="Open the link that was printed">
      <p>
        Nobody has an account here yet. Etiquette printed an address with a long key where it was started: open that one, and you make the
        owner's account.
      </p>
      <p className="mt-2 text-slate">
        It works once, within a day. <b className="font-code text-[12px] font-normal">etiquette link</b> on that machine makes another.
      </p>
    </Slip>
  );
}
