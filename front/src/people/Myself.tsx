import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { Action, Button } from "../ui/Button";
import { OpenRow } from "../ui/Row";
import { Second } from "./Second";
import { Form, Line, Send } from "./Slip";
import { type Me, meQuery, ROLE_WORDS, useMe, useMyself } from "./usePeople";
import { wordLook } from "../ui/look";

/** The own account: password, PIN, badge, second step. */
export function Myself() {
  const me = useMe();
  if (!me) return null;
  return (
    <>
      <h1>{me.name}</h1>
      <p className="mb-2 text-slate">{ROLE_WORDS[me.role]}</p>
      {me.password ? (
        <>
          <Opens label="Password" shown="set" why="Whoever else is signed in to your account is signed out.">
            {(close) => <Password close={close} />}
          </Opens>
          <Opens label="PIN" shown={me.pin ? "set" : "none"} why="To go on at a shared screen where somebody else is signed in.">
            {(close) => <Pin me={me} close={close} />}
          </Opens>
          <Opens label="Badge" shown={me.badge ? "made" : "none"} why="The same, by scanning a code.">
            {(close) => <Badge me={me} close={close} />}
          </Opens>
          <Opens
            label="Second step"
            shown={me.second ? "on" : "off"}
            why="A code that your telephone shows, besides the password. Owners need it when the shop is reached from other machines."
          >
            {(close) => (me.second ? <SecondOff close={close} /> : <Second done={close} />)}
          </Opens>
        </>
      ) : (
        <p>
          This account belongs to the demo: the link of its start signs it in, on this machine alone. For real work let in people of your
          own.
        </p>
      )}
    </>
  );
}

function Opens({ label, shown, why, children }: { label: string; shown: string; why: string; children: (close: () => void) => ReactNode }) {
  const [open, setOpen] = useState(false);
  return (
    <OpenRow label={label} shown={shown} why={why} open={open} setOpen={setOpen}>
      {children(() => setOpen(false))}
    </OpenRow>
  );
}

type SecretProps = { words: string; value: string; set: (value: string) => void; fresh?: boolean };

const Secret = ({ words, value, set, fresh }: SecretProps) => (
  <Line
    words={words}
    type="password"
    autoComplete={fresh ? "new-password" : "current-password"}
    value={value}
    onChange={(event) => set(event.target.value)}
  />
);

function Password({ close }: { close: () => void }) {
  const [former, setFormer] = useState("");
  const [password, setPassword] = useState("");
  const keep = useMutation({
    mutationFn: () => told(api.PUT("/api/people/me/password", { body: { former, password } })),
    onSuccess: close,
  });
  return (
    <Form send={() => keep.mutate()} problem={keep.error}>
      <Secret words="The one you have" value={former} set={setFormer} />
      <Secret words="The new one: eight characters or more" value={password} set={setPassword} fresh />
      <Send disabled={!former || !password}>Change it</Send>
    </Form>
  );
}

function Pin({ me, close }: { me: Me; close: () => void }) {
  const [password, setPassword] = useState("");
  const [pin, setPin] = useState("");
  const keep = useMyself((wish: string | null) => told(api.PUT("/api/people/me/pin", { body: { password, pin: wish } })), close);
  return (
    <Form send={() => keep.mutate(pin)}>
      <Line
        words="PIN, four digits or more"
        type="password"
        inputMode="numeric"
        autoComplete="off"
        value={pin}
        onChange={(event) => setPin(event.target.value)}
      />
      <Secret words="Your password" value={password} set={setPassword} />
      <Send disabled={!pin || !password}>Set the PIN</Send>
      {me.pin && (
        <div className="mt-2">
          <Action looks disabled={!password} onClick={() => keep.mutate(null)}>
            Take the PIN off
          </Action>
        </div>
      )}
    </Form>
  );
}

function Badge({ me, close }: { me: Me; close: () => void }) {
  const queries = useQueryClient();
  const [password, setPassword] = useState("");
  const make = useMutation({
    mutationFn: () => told(api.POST("/api/people/me/badge", { body: { password } })),
    onSuccess: () => {
      setPassword("");
      void queries.invalidateQueries(meQuery);
    },
    onError: sayProblem,
  });
  const off = useMyself<void>(() => told(api.DELETE("/api/people/me/badge")), close);
  if (make.data) return <Printed name={me.name} badge={make.data} />;
  return (
    <Form send={() => make.mutate()}>
      <Secret words="Your password" value={password} set={setPassword} />
      <Send disabled={!password}>{me.badge ? "Make a new badge" : "Make a badge"}</Send>
      {me.badge && (
        <div className="mt-2">
          <Action looks onClick={() => off.mutate()}>
            Make the badge useless
          </Action>
        </div>
      )}
    </Form>
  );
}

/** A badge is shown this once, and saved as a picture to be printed. */
function Printed({ name, badge }: { name: string; badge: Schemas["BadgeShown"] }) {
  const file = `data:image/svg+xml,${encodeURIComponent(badge.picture)}`;
  return (
    <>
      <p>Save it and print it 60 mm wide or more. It is shown this once.</p>
      <img src={file} alt="Your badge" className="my-2 w-full border border-rule" />
      <a href={file} download={`Badge of ${name}.svg`} className={wordLook}>
        Save the badge
      </a>
    </>
  );
}

function SecondOff({ close }: { close: () => void }) {
  const [password, setPassword] = useState("");
  const off = useMyself<void>(() => told(api.POST("/api/people/me/second/off", { body: { password } })), close);
  return (
    <Form send={() => off.mutate()}>
      <Secret words="Your password" value={password} set={setPassword} />
      <div className="mt-3">
        <Button looks disabled={!password} onClick={() => off.mutate()}>
          Do without a second step
        </Button>
      </div>
    </Form>
  );
}
