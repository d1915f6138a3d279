import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, told } from "../api/client";
import { sayProblem } from "../api/held";
import { Action } from "../ui/Button";
import type { Kind } from "../lines/kinds";
import { ChoiceRow } from "../ui/Choice";
import { KindTicks } from "../ui/KindTicks";
import { Section } from "../ui/Row";

/** Two cut files of a frame for a machine that fetches its own jobs, in the form it takes. */
export function CutFiles({ id, forms, kinds }: { id: number; forms: Schemas["FileForm"][]; kinds: Kind[] }) {
  const [form, setForm] = useState("plt");
  const [left, setLeft] = useState<Kind[]>([]);
  const ticked = kinds.filter((kind) => !left.includes(kind));
  const body = { form, ...(left.length ? { kinds: ticked } : {}) };
  const write = useMutation({
    mutationFn: () => told(api.POST("/api/bench/{sheet_id}/files", { params: { path: { sheet_id: id } }, body })),
    onError: sayProblem,
  });
  return (
    <Section title="For a machine that fetches its jobs">
      <ChoiceRow
        label="As"
        why="The form of the files. Each frame gets one for either end."
        value={form}
        choices={forms.map(({ name, words }) => [name, words])}
        onChange={setForm}
      />
      <KindTicks label="Lines in the files" kinds={kinds} left={left} setLeft={setLeft} />
      <div className="mt-2">
        <Action onClick={() => write.mutate()} disabled={write.isPending || ticked.length === 0}>
          Write both cut files
        </Action>
      </div>
      {write.data && (
        <p role="status" aria-label="Cut files" className="mt-1.5 text-[12px] text-slate">
          In the folder “{write.data.folder}”:{" "}
          {write.data.names.map((name) => (
            <a key={name} href={`/api/bench/files/${name}`} download className="mr-2 font-code font-semibold text-pine underline">
              {name}
            </a>
          ))}
          {write.data.fetched && "The cutter finds them in its own folder, too."}
        </p>
      )}
    </Section>
  );
}
