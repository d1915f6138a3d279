import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { linkLook } from "../ui/Button";
import { Readings } from "../ui/Readings";
import { NamedTile } from "../shelf/NamedTile";
import { AccountSettings } from "./AccountSettings";
import { Browsers } from "./Browsers";
import { Invite } from "./Invite";
import { Myself } from "./Myself";
import { NewToken, TokenSettings } from "./Tokens";
import { Trail } from "./Trail";
import { accountsQuery, type Account, ROLE_WORDS, tokensQuery, useMe } from "./usePeople";
import { when } from "../ui/moments";

/** What is chosen; a number that changes begins a new one anew. */
type Chosen = { of: "me" | "account" | "invite" | "token" | "new token"; id: number };

/** Who works here, what other systems may, and what was done: an owner's. Others see the own account. */
export default function People() {
  const me = useMe();
  const [chosen, choose] = useState<Chosen>({ of: "me", id: 0 });
  if (!me) return null;
  return (
    <>
      <main className="min-w-0 flex-1 overflow-y-auto p-6 pt-5" aria-label="People">
        <h1 className="sr-only">People</h1>
        {me.owns && <Accounts mine={me.id} chosen={chosen} choose={choose} />}
        {me.owns && <Tokens chosen={chosen} choose={choose} />}
        {me.owns ? <Trail /> : <Browsers />}
      </main>
      <Readings label="Readings">
        {chosen.of === "account" && <AccountSettings id={chosen.id} />}
        {chosen.of === "invite" && <Invite key={chosen.id} />}
        {chosen.of === "token" && <TokenSettings id={chosen.id} ended={() => choose({ of: "me", id: 0 })} />}
        {chosen.of === "new token" && <NewToken key={chosen.id} />}
        {chosen.of === "me" && <Myself />}
        {chosen.of === "me" && me.owns && <Browsers />}
      </Readings>
    </>
  );
}

type Props = { chosen: Chosen; choose: (chosen: Chosen) => void };

function Accounts({ mine, chosen, choose }: Props & { mine: number }) {
  const { data } = useQuery(accountsQuery);
  const [withAway, setWithAway] = useState(false);
  if (!data) return null;
  const own = (id: number) => id === mine;
  return (
    <section aria-label="Accounts" className="mb-6">
      <h2 className="mb-2.5 flex items-center gap-4">
        People
        <button type="button" className={linkLook} onClick={() => choose({ of: "invite", id: chosen.id + 1 })}>
          Let somebody in
        </button>
        {data.some(({ away }) => away) && (
          <button type="button" aria-pressed={withAway} className={linkLook} onClick={() => setWithAway(!withAway)}>
            {withAway ? "Hide who is put away" : "Show who is put away"}
          </button>
        )}
      </h2>
      <div className="grid grid-cols-[repeat(auto-fill,minmax(200px,1fr))] gap-3">
        {data
          .filter(({ away }) => withAway || !away)
          .map((one) => (
            <NamedTile
              key={one.id}
              name={own(one.id) ? `${one.name} (you)` : one.name}
              words={inShort(one)}
              tone={one.invited && !one.away ? "text-check-text" : undefined}
              chosen={own(one.id) ? chosen.of === "me" : chosen.of === "account" && chosen.id === one.id}
              choose={() => choose(own(one.id) ? { of: "me", id: 0 } : { of: "account", id: one.id })}
            />
          ))}
      </div>
    </section>
  );
}

function inShort(one: Account) {
  if (one.away) return "put away";
  if (one.invited) return `${ROLE_WORDS[one.role]}, has not come in yet`;
  return `${ROLE_WORDS[one.role]}${one.signed_in ? `, signed in at ${one.signed_in}` : ""}`;
}

function Tokens({ chosen, choose }: Props) {
  const { data } = useQuery(tokensQuery);
  if (!data) return null;
  return (
    <section aria-label="Tokens" className="mb-6">
      <h2 className="mb-2.5 flex items-center gap-4">
        Other systems
        <button type="button" className={linkLook} onClick={() => choose({ of: "new token", id: chosen.id + 1 })}>
          Make a token
        </button>
      </h2>
      {data.length === 0 && <p className="text-slate">None has a token: programs of yours show one instead of signing in.</p>}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(200px,1fr))] gap-3">
        {data.map((one) => (
          <NamedTile
            key={one.id}
            name={one.name}
            words={`ends on ${when(one.expires_at)}`}
            chosen={chosen.of === "token" && chosen.id === one.id}
            choose={() => choose({ of: "token", id: one.id })}
          />
        ))}
      </div>
    </section>
  );
}
