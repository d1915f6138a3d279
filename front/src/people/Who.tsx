import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";
import { api, told } from "../api/client";
import { sayProblem } from "../api/held";
import { Action } from "../ui/Button";
import { sheetLook, whiteLook } from "../ui/look";
import { Form, Line, Send } from "./Slip";
import { type Me, meQuery, ROLE_WORDS, useMe, useTurn } from "./usePeople";

/** Who is at work here: in the bar, always. It opens what concerns that, and hands the screen over. */
export function Who() {
  const me = useMe();
  const [open, setOpen] = useState(false);
  if (!me) return null;
  const close = () => setOpen(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        aria-label={`${me.name} is at work here`}
        className={`h-[34px] max-w-[112px] shrink-0 truncate rounded-[6px] px-2.5 font-semibold ${whiteLook}`}
      >
        {me.name}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className={`w-[280px] p-3.5 ${sheetLook}`} aria-label="Who is at work">
          <p className="truncate text-[18px] font-semibold">{me.name}</p>
          <p className="mb-2 text-slate">
            {ROLE_WORDS[me.role]}
            {me.role === "owner" && !me.owns && "; by PIN without an owner's rights"}
          </p>
          {me.shared && <HandOver me={me} done={close} />}
          <Link to="/people" onClick={close} className="flex min-h-9 items-center font-semibold text-pine hover:underline">
            {me.owns ? "People, tokens, what was done" : "Your account"}
          </Link>
          <SignOut />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function SignOut() {
  const queries = useQueryClient();
  const leave = useMutation({
    mutationFn: () => told(api.POST("/api/people/sign-out")),
    onSuccess: () => {
      queries.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== "me" });
      queries.setQueryData(meQuery.queryKey, null);
    },
    onError: sayProblem,
  });
  return (
    <Action looks onClick={() => leave.mutate()}>
      Sign out
    </Action>
  );
}

/** The next person at a shared screen: a badge that is scanned, or a name and a PIN. */
function HandOver({ me, done }: { me: Me; done: () => void }) {
  const turn = useTurn();
  const [to, setTo] = useState<number | null>(null);
  const [typed, setTyped] = useState("");
  const change = useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/people/change", {
          body: { account_id: to, pin: to === null ? "" : typed, badge: to === null ? typed.trim() : "" },
        }),
      ),
    onSuccess: async () => {
      done();
      await turn();
    },
    onError: () => setTyped(""),
  });
  const name = me.colleagues.find(({ id }) => id === to)?.name;
  return (
    <Form send={() => typed && change.mutate()} problem={change.error}>
      <h2>Somebody else goes on here</h2>
      <div className="mt-1.5 flex flex-wrap gap-1.5" role="group" aria-label="Who">
        {me.colleagues.map((one) => (
          <button
            key={one.id}
            type="button"
            aria-pressed={one.id === to}
            onClick={() => setTo(one.id === to ? null : one.id)}
            className={`min-h-9 rounded-[6px] px-2.5 font-semibold aria-pressed:border-pine aria-pressed:bg-pine-wash ${whiteLook}`}
          >
            {one.name}
          </button>
        ))}
      </div>
      <Line
        key={to}
        words={name ? `PIN of ${name}` : "Scan a badge"}
        type="password"
        inputMode="numeric"
        autoComplete="off"
        grab
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
      />
      <Send disabled={!typed || change.isPending}>{name ? `${name} goes on` : "Go on"}</Send>
      <div className="my-3 border-b border-rule" />
    </Form>
  );
}
