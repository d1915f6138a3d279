import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, told } from "../../api/client";
import { shelfQuery } from "../../api/keys";
import type { Run } from "../../api/useRun";
import { Action, Way } from "../../ui/Button";
import { ChoiceRow } from "../../ui/Choice";
import { TextField } from "../../ui/Field";
import { Section } from "../../ui/Row";
import type { PutBlanks } from "./blanks";

type Props = { run: Run; put: PutBlanks };

/** Holders of the Shelf: their blanks taken in one press, and those that lie here kept as one. */
export function Holders({ run, put }: Props) {
  const queries = useQueryClient();
  const { data: shelf } = useQuery(shelfQuery);
  const [name, setName] = useState("");
  const holders = shelf?.holder.filter((row) => !row.away) ?? [];
  const keep = useMutation({
    mutationFn: (called: string) =>
      told(api.POST("/api/runs/{run_id}/holder", { params: { path: { run_id: run.id } }, body: { name: called, play_mm: 0 } })),
    onSuccess: () => {
      toast(`Holder ${name} is kept on the Shelf.`);
      setName("");
      void queries.invalidateQueries({ queryKey: shelfQuery.queryKey });
    },
  });
  const take = (id: string) => {
    const row = holders.find((one) => String(one.id) === id);
    if (row)
      put(`blanks as in ${row.name}`.slice(0, 200), () => row.places.map((blank) => ({ ...blank, design_id: null, stock_id: null })));
  };
  return (
    <Section title="Holders">
      {holders.length > 0 && (
        <ChoiceRow
          label="Blanks as in"
          value=""
          choices={holders.map((row): [string, string] => [String(row.id), `${row.name} (${row.places.length})`])}
          why="The blanks of a holder take the place of those that lie here; undo brings them back."
          onChange={take}
        />
      )}
      <p className="py-1.5 text-[12px] text-slate">Keep the places of these blanks: a holder can be drawn, printed and cut.</p>
      <TextField label="Name of the holder" value={name} longest={120} onChange={setName} />
      <div className="mt-1.5">
        <Action onClick={() => keep.mutate(name.trim())} disabled={!name.trim() || keep.isPending || run.places.length === 0}>
          Keep as a holder
        </Action>
      </div>
      {holders.length > 0 && (
        <p className="py-1.5">
          <Way to={`/shelf?holder=${holders[0]?.id}`}>Holders on the Shelf</Way>
        </p>
      )}
    </Section>
  );
}
