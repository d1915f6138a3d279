import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { Action, FileButton } from "../ui/Button";
import { Note } from "../ui/Card";
import { KINDS } from "./fields";

type InFile = Schemas["InFile"];

const keyOf = (one: { kind: string; name: string }) => `${one.kind} ${one.name}`;

/** A SHELF.json is taken in: what is new is ticked, what is other than here waits to be chosen. */
export function ShelfFileIn({ done }: { done: () => void }) {
  const queries = useQueryClient();
  const [file, setFile] = useState<{ name: string; text: string } | null>(null);
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const compare = useMutation({
    mutationFn: async (given: File) => {
      const body = { name: given.name, text: await given.text() };
      setFile(body);
      return told(api.POST("/api/shelf/file/compare", { body }));
    },
    onSuccess: (things) => setChosen(new Set(things.filter((one) => one.state === "new").map(keyOf))),
  });
  const take = useMutation({
    mutationFn: (things: InFile[]) =>
      told(
        api.POST("/api/shelf/file/take", {
          body: { name: file?.name ?? "", text: file?.text ?? "", chosen: things.map(({ kind, name }) => ({ kind, name })) },
        }),
      ),
    onSuccess: ({ added, changed }) => {
      toast.success(`${added} new on the Shelf, ${changed} changed.`);
      void queries.invalidateQueries();
      done();
    },
    onError: sayProblem,
  });
  const things = compare.data ?? [];
  const wanted = things.filter((one) => chosen.has(keyOf(one)));
  const same = things.filter((one) => one.state === "same").length;
  const toggle = (key: string) => {
    const next = new Set(chosen);
    if (!next.delete(key)) next.add(key);
    setChosen(next);
  };
  return (
    <div className="mt-2 flex flex-col gap-2">
      <FileButton accept="application/json,.json" take={(file) => compare.mutate(file)}>
        {compare.isPending ? "Reading it" : "Choose a SHELF.json"}
      </FileButton>
      {compare.error && <Note tone="stop">{compare.error.message}</Note>}
      {compare.data && (
        <>
          <p>
            {things.length - same === 0
              ? "Everything in it is here already."
              : `${things.length - same} of ${things.length} are new or other than here.`}
          </p>
          {KINDS.map(({ kind, title }) => (
            <OfKind
              key={kind}
              title={title}
              things={things.filter((one) => one.kind === kind && one.state !== "same")}
              chosen={chosen}
              toggle={toggle}
            />
          ))}
          {things.length > same && (
            <Action main onClick={() => take.mutate(wanted)} disabled={wanted.length === 0 || take.isPending}>
              {`Take in ${wanted.length}`}
            </Action>
          )}
        </>
      )}
      <Action onClick={done}>Leave it</Action>
    </div>
  );
}

type OfKindProps = { title: string; things: InFile[]; chosen: Set<string>; toggle: (key: string) => void };

function OfKind({ title, things, chosen, toggle }: OfKindProps) {
  if (things.length === 0) return null;
  return (
    <fieldset>
      <legend className="font-semibold">{title}</legend>
      {things.map((one) => (
        <label key={keyOf(one)} className="flex min-h-9 items-start gap-2.5 border-b border-rule py-2">
          <input
            type="checkbox"
            checked={chosen.has(keyOf(one))}
            onChange={() => toggle(keyOf(one))}
            className="mt-0.5 h-4 w-4 accent-(--color-pine)"
          />
          <span className="min-w-0">
            <span className="break-words">{one.name}</span>{" "}
            <b className={`font-semibold ${one.state === "new" ? "text-go" : "text-check-text"}`}>
              {one.state === "new" ? "new" : "differs"}
            </b>
            {one.words && <span className="block text-[12px] text-slate">In the file: {one.words}</span>}
          </span>
        </label>
      ))}
    </fieldset>
  );
}
