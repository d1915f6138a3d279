import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, type Schemas, told } from "../../api/client";
import { sayProblem } from "../../api/held";
import { designsQuery } from "../../api/keys";
import { LinePaths } from "../LinePaths";
import { Action } from "../../ui/Button";
import { Note } from "../../ui/Card";
import { ChoiceRow } from "../../ui/Choice";
import { NumberRow, TextField } from "../../ui/Field";
import { useKeys } from "../../ui/keys";
import { Big, Readings } from "../../ui/Readings";
import { Row, Section } from "../../ui/Row";
import { figure, length, useUnit } from "../../ui/units";
import { useSize } from "../../ui/zoom";

type Asked = Schemas["FormAsked"];
const KINDS: [Asked["kind"], string][] = [
  ["tuck-end box", "a tuck-end box"],
  ["tube", "a tube, open at both ends"],
  ["sleeve", "a sleeve that laps at the back"],
  ["tag", "a folded tag"],
];
/** Round sizes to begin with. */
const FIRST: Asked = { kind: "tuck-end box", width_mm: 80, depth_mm: 40, height_mm: 120, thickness_mm: 0.5, glue_mm: 15, hole_mm: 0 };

/** A flat form drawn from the size of the goods, and made a design. */
export default function Forms() {
  const [asked, ask] = useState<Asked>(FIRST);
  const [name, setName] = useState("");
  const unit = useUnit((state) => state.unit);
  const navigate = useNavigate();
  const queries = useQueryClient();
  const { data: form } = useQuery({
    queryKey: ["form", asked],
    queryFn: () => told(api.POST("/api/folds/form", { body: asked })),
    placeholderData: (before) => before,
  });
  const called = name.trim() || KINDS.find(([kind]) => kind === asked.kind)?.[0] || "form";
  const make = useMutation({
    mutationFn: () => told(api.POST("/api/folds/forms", { body: { ...asked, name: called, job_id: null } })),
    onSuccess: ({ design_id }) => {
      void queries.invalidateQueries({ queryKey: designsQuery.queryKey });
      void navigate(`/lines/${design_id}`);
    },
    onError: sayProblem,
  });
  const ready = form !== undefined && !form.trouble && !make.isPending;
  useKeys({ Enter: () => ready && make.mutate() });
  const put = (changes: Partial<Asked>) => ask({ ...asked, ...changes });
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Flat forms">
        <h1>A flat form</h1>
        <p className="mb-2 text-[12px] text-slate">
          From the size of the goods that go in. Through lines are cut, dotted lines are creased.
        </p>
        {form && !form.trouble && <Drawing form={form} />}
        {form?.trouble && <p className="flex flex-1 items-center justify-center">{form.trouble}</p>}
      </main>
      <Readings label="Readings">
        <div className="flex justify-between">
          <Big label="wide" value={form ? length(form.width_mm, unit, 1) : "–"} unit={unit} />
          <Big label="high" value={form ? length(form.height_mm, unit, 1) : "–"} unit={unit} end />
        </div>
        {form?.trouble && <Note tone="stop">{form.trouble}</Note>}
        <div className="mt-3">
          <Action main hint="Enter" onClick={() => make.mutate()} disabled={!ready}>
            Make a design of it
          </Action>
        </div>
        <Section title="Its name">
          <TextField label="Name of the form" value={name} longest={120} onChange={setName} />
        </Section>
        <Section title="Form">
          <ChoiceRow
            label="It is"
            value={asked.kind}
            choices={KINDS}
            why="A tuck-end box closes at both ends."
            onChange={(kind) => put({ kind })}
          />
          <Sizes asked={asked} put={put} />
          <Row label="Card it takes">{form ? figure(form.area_mm2 / 100, 1) : "–"} cm²</Row>
        </Section>
      </Readings>
    </>
  );
}

function Sizes({ asked, put }: { asked: Asked; put: (changes: Partial<Asked>) => void }) {
  const tag = asked.kind === "tag";
  const rows: [keyof Asked & `${string}_mm`, string, string][] = [
    ["width_mm", tag ? "Tag is wide" : "Goods are wide", "As they stand in front of you."],
    ...(tag ? [] : ([["depth_mm", "Goods are deep", "From the front to the back."]] as [keyof Asked & `${string}_mm`, string, string][])),
    ["height_mm", tag ? "Tag is high" : "Goods are high", tag ? "Of one half; they are folded back to back." : "From the foot to the top."],
    ...(tag
      ? ([["hole_mm", "Hole", "Its diameter, through both halves; 0 for none."]] as [keyof Asked & `${string}_mm`, string, string][])
      : ([
          ["glue_mm", "Glue flap", "How far it goes under."],
          ["thickness_mm", "Card is thick", "Creases lie so much further apart. mm, or points: 10pt are 0.01 in."],
        ] as [keyof Asked & `${string}_mm`, string, string][])),
  ];
  return rows.map(([key, label, why]) => (
    <NumberRow
      key={key}
      label={label}
      why={why}
      least={0}
      decimals={key === "thickness_mm" ? 3 : 1}
      points={key === "thickness_mm" ? "card" : undefined}
      value={asked[key] ?? 0}
      onChange={(value) => put({ [key]: Math.max(0, value) })}
    />
  ));
}

/** The form at true proportions, as large as the stage. */
function Drawing({ form }: { form: Schemas["FormShown"] }) {
  const holder = useRef<SVGSVGElement>(null);
  const [width, height] = useSize(holder);
  const rim = 0.05 * Math.max(form.width_mm, form.height_mm);
  const scale = Math.min(width / (form.width_mm + 2 * rim), height / (form.height_mm + 2 * rim)) || 1;
  return (
    <svg
      ref={holder}
      viewBox={`${-rim} ${-rim} ${form.width_mm + 2 * rim} ${form.height_mm + 2 * rim}`}
      className="min-h-0 w-full flex-1 rounded-[4px] border border-rule bg-white"
      role="img"
      aria-label="The flat form"
    >
      <LinePaths lines={form.lines as Schemas["LineShown"][]} scale={scale} />
    </svg>
  );
}
