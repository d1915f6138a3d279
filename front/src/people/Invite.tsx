import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, told } from "../api/client";
import { Choice } from "../ui/Choice";
import { Form, Line, Send } from "./Slip";
import { accountsQuery, type Role, ROLE_WORDS } from "./usePeople";
import { WordButton } from "../ui/Button";

export const ROLES: [Role, string][] = [
  ["operator", ROLE_WORDS.operator],
  ["owner", ROLE_WORDS.owner],
  ["viewer", ROLE_WORDS.viewer],
];
export const ROLE_WHY: Record<Role, string> = {
  operator: "Prepares, prints, cuts, and keeps the Shelf.",
  owner: "Besides: lets people in, and changes addresses of machines, watched folders, recipes that send by themselves, copies.",
  viewer: "Sees jobs and work, neither prices nor the shop's books, and changes nothing.",
};

/** A new account and the link that its person opens. */
export function Invite() {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [role, setRole] = useState<Role>("operator");
  const invite = useMutation({
    mutationFn: () => told(api.POST("/api/people/accounts", { body: { name, role } })),
    onSuccess: () => void queries.invalidateQueries(accountsQuery),
  });
  if (invite.data)
    return (
      <>
        <h1>{name}</h1>
        <LinkToGive made={invite.data} />
      </>
    );
  return (
    <>
      <h1>Let somebody in</h1>
      <Form send={() => invite.mutate()} problem={invite.error}>
        <Line
          words="Name, as it stands beside what is done"
          value={name}
          maxLength={60}
          grab
          onChange={(event) => setName(event.target.value)}
        />
        <div className="mt-3">
          <Choice label="Role" value={role} choices={ROLES} onChange={setRole} />
        </div>
        <p className="mt-2 text-slate">{ROLE_WHY[role]}</p>
        <Send disabled={!name || invite.isPending}>Make the account</Send>
      </Form>
    </>
  );
}

/** Shown once: nobody finds it again. */
export function LinkToGive({ made }: { made: Schemas["LinkMade"] }) {
  const address = `${location.origin}${made.path}`;
  const [copied, setCopied] = useState(false);
  return (
    <div role="status">
      <p className="mt-2">Give this link to the person it is for: a password is chosen there. It works once, within {made.days} days.</p>
      <p className="my-2 rounded-[5px] border border-rule bg-white p-2 font-code text-[12px] break-all select-all">{address}</p>
      <WordButton looks onClick={() => void navigator.clipboard.writeText(address).then(() => setCopied(true))}>
        {copied ? "It is copied" : "Copy it"}
      </WordButton>
    </div>
  );
}
