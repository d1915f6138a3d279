import { useMutation, useQuery } from "@tanstack/react-query";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { Action } from "../ui/Button";
import { ChoiceRow } from "../ui/Choice";
import { TextField } from "../ui/Field";
import { LinkToGive, ROLE_WHY, ROLES } from "./Invite";
import { type Account, accountsQuery, useList } from "./usePeople";
import { when } from "../ui/moments";

/** One of the others, as an owner sees it. */
export function AccountSettings({ id }: { id: number }) {
  const { data } = useQuery(accountsQuery);
  const one = data?.find((account) => account.id === id);
  if (!one) return null;
  return <Shown key={id} one={one} />;
}

function Shown({ one }: { one: Account }) {
  const at = { params: { path: { account_id: one.id } } };
  const change = useList(accountsQuery.queryKey, (body: Schemas["AccountChanges"]) =>
    told(api.PATCH("/api/people/accounts/{account_id}", { ...at, body })),
  );
  const out = useList<Account[], void>(accountsQuery.queryKey, () => told(api.POST("/api/people/accounts/{account_id}/sign-out", at)));
  const link = useMutation({
    mutationFn: () => told(api.POST("/api/people/accounts/{account_id}/link", at)),
    onError: sayProblem,
  });
  return (
    <>
      <TextField label="Name" large longest={60} value={one.name} onChange={(name) => change.mutate({ name })} />
      <p className="mt-1 mb-2 text-slate">
        {one.invited ? "Has not come in yet." : `Last seen ${when(one.seen_at)}.`}
        {one.second && " Has a second step."}
        {one.pin && " Has a PIN."}
        {one.badge && " Has a badge."}
      </p>
      <ChoiceRow label="Role" why={ROLE_WHY[one.role]} value={one.role} choices={ROLES} onChange={(role) => change.mutate({ role })} />
      <div className="mt-3 flex flex-col gap-2">
        {!one.away && !one.demo && (
          <Action onClick={() => link.mutate()}>{one.invited ? "Make the link anew" : "A link for a new password"}</Action>
        )}
        {link.data && <LinkToGive made={link.data} />}
        {one.second && <Action onClick={() => change.mutate({ second: false })}>Take the second step off</Action>}
        {one.signed_in > 0 && <Action onClick={() => out.mutate()}>Sign out everywhere</Action>}
        <Action onClick={() => change.mutate({ away: !one.away })}>
          {one.away ? "Let in again" : "Put away: may not come in any more"}
        </Action>
      </div>
    </>
  );
}
