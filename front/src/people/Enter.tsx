import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, type Schemas, told } from "../api/client";
import { Way } from "../ui/Button";
import { Form, Line, Send, Slip } from "./Slip";
import { useTurn } from "./usePeople";

/** A link that opens the shop once. Its key stands after #, where no server and no log sees it. */
export function Enter() {
  const [key] = useState(() => location.hash.slice(1));
  const { data: link, error } = useQuery({
    queryKey: ["link", key],
    queryFn: () => told(api.POST("/api/people/link", { body: { key } })),
    retry: false,
    staleTime: Infinity,
  });
  if (error)
    return (
      <Slip title="This link opens nothing">
        <p role="alert">{error.message}</p>
        <p className="mt-3">
          <Way to="/floor">Sign in</Way>
        </p>
      </Slip>
    );
  if (!link) return null;
  return <Used key={key} link={link} secret={key} />;
}

const TITLES: Record<Schemas["LinkShown"]["opens"], string> = {
  owner: "Make the owner's account",
  account: "Choose your password",
  demo: "The demo is being opened",
};

function Used({ link, secret }: { link: Schemas["LinkShown"]; secret: string }) {
  const navigate = useNavigate();
  const turn = useTurn();
  const [name, setName] = useState(link.name);
  const [password, setPassword] = useState("");
  const enter = useMutation({
    mutationFn: () => told(api.POST("/api/people/enter", { body: { key: secret, name, password } })),
    onSuccess: async () => {
      await turn();
      await navigate("/floor", { replace: true });
    },
  });
  const begun = useRef(false);
  const { mutate } = enter;
  useEffect(() => {
    if (link.opens !== "demo" || begun.current) return;
    begun.current = true; // a link works once
    mutate();
  }, [link.opens, mutate]);
  return (
    <Slip title={TITLES[link.opens]}>
      {link.opens === "demo" ? (
        <p role="status">{enter.error ? enter.error.message : "One moment."}</p>
      ) : (
        <Form send={() => enter.mutate()} problem={enter.error}>
          {link.opens === "owner" && (
            <p className="mb-1 text-slate">Whoever has it lets others in, and may change machines, folders and copies.</p>
          )}
          <Line
            words={link.opens === "owner" ? "Your name, as it stands beside what you do" : "Name"}
            value={name}
            readOnly={link.opens !== "owner"}
            autoComplete="username"
            maxLength={60}
            onChange={(event) => setName(event.target.value)}
          />
          <Line
            words="Password: eight characters or more, best a few words"
            type="password"
            autoComplete="new-password"
            value={password}
            onChange={(event) => setPassword(event.target.value)}
          />
          <Send disabled={!name || !password || enter.isPending}>Begin</Send>
        </Form>
      )}
    </Slip>
  );
}
