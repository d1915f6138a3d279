import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, told } from "../api/client";
import { sayProblem } from "../api/held";
import { Action } from "../ui/Button";
import { Form, Line, Send } from "./Slip";
import { useMyself } from "./usePeople";

/** Setting up one-time codes: the picture, then a code of it, then it is kept. */
export function Second({ done }: { done?: () => void }) {
  const [code, setCode] = useState("");
  const [password, setPassword] = useState("");
  const propose = useMutation({ mutationFn: () => told(api.POST("/api/people/me/second")), onError: sayProblem });
  const keep = useMyself((secret: string) => told(api.PUT("/api/people/me/second", { body: { secret, code, password } })), done);
  const made = propose.data;
  if (!made)
    return (
      <Action looks main onClick={() => propose.mutate()}>
        Show the picture to scan
      </Action>
    );
  return (
    <Form send={() => keep.mutate(made.secret)}>
      <p>Scan this with the authenticator on your telephone.</p>
      <img
        src={`data:image/svg+xml,${encodeURIComponent(made.picture)}`}
        alt="Code for the authenticator"
        className="mx-auto my-2 h-[180px] w-[180px]"
      />
      <p className="text-[12px] break-all text-slate">
        Or type it: <span className="font-code">{made.secret}</span>
      </p>
      <Line
        words="The code that it shows now"
        inputMode="numeric"
        autoComplete="one-time-code"
        value={code}
        onChange={(event) => setCode(event.target.value)}
      />
      <Line
        words="Your password"
        type="password"
        autoComplete="current-password"
        value={password}
        onChange={(event) => setPassword(event.target.value)}
      />
      <Send disabled={!code || !password || keep.isPending}>Keep it</Send>
    </Form>
  );
}
