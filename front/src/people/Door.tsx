import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { useLocation } from "react-router";
import { Enter } from "./Enter";
import { SignIn } from "./SignIn";
import { Slip } from "./Slip";
import { Second } from "./Second";
import { meQuery } from "./usePeople";
import { LooksOnly } from "../ui/looksOnly";

/** What is shown to whom: the stations to who is signed in, else how to sign in. The address stays as it is. */
export function Door({ children }: { children: ReactNode }) {
  const { pathname } = useLocation();
  const { data: me, error } = useQuery(meQuery);
  if (pathname === "/enter") return <Enter />;
  if (error && me === undefined)
    return (
      <Slip title="Etiquette is not answering">
        <p role="alert">{error.message}</p>
      </Slip>
    );
  if (me === undefined) return null;
  if (me === null) return <SignIn />;
  if (me.must_second)
    return (
      <Slip title="A second step for owners">
        <p className="mb-3 text-slate">
          This shop is reached from other machines. Owners sign in there with a password and a code that their telephone shows.
        </p>
        <Second />
      </Slip>
    );
  return <LooksOnly value={!me.rights.includes("PREPARE")}>{children}</LooksOnly>;
}
