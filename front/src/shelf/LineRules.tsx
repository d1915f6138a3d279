import { designsQuery, rulesQuery, keys } from "../api/keys";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { toast } from "sonner";
import { api, type Schemas, told } from "../api/client";
import { KIND_WORDS, KINDS } from "../lines/kinds";
import { LineSample } from "../lines/LinePaths";
import { LineNames } from "./LineNames";
import { sayProblem } from "../api/held";
import { ChoiceRow } from "../ui/Choice";
import { Section } from "../ui/Row";
import { rim } from "../ui/look";

/** What a new rule by colour begins with: a colour that no art is printed in. */
// eslint-disable-next-line no-restricted-syntax -- an ink of the art, no colour of the screen
const MAGENTA = "#ff00ff";

type Rule = Schemas["RuleFile"];
type Names = Schemas["RulesShown"]["names"];
type Numbered = Schemas["RulesShown"]["numbered"];
const BY: [Rule["by"], string][] = [
  ["words", "words in names"],
  ["name", "an exact name"],
  ["colour", "stroke colour"],
  ["width", "stroke width"],
];
const HINTS: Record<Rule["by"], string> = {
  words: "Whole words in the names of layers and spot colours, with commas between.",
  name: "Names of layers or spot colours exactly as they are written, with commas between.",
  colour: "Stroke colours as #rrggbb, with commas between.",
  width: "Strokes up to this many millimetres.",
};
const FRESH: Rule = { kind: "through", by: "words", values: ["my cut line"] };

type Kept = { rules: Rule[]; names: Names; numbered: Numbered };
const KEEPING = ["line rules"];

/**
 * The shop's line rules and changes to them. A change is on the screen at once, before the server has it: a rule that was just
 * added is the one that the next press means. Changes go out one after the other, each with the version the one before made.
 */
export function useRules() {
  const queries = useQueryClient();
  const key = rulesQuery.queryKey;
  const { data } = useQuery(rulesQuery);
  const send = useMutation({
    mutationKey: KEEPING,
    scope: { id: KEEPING.join() },
    mutationFn: (kept: Kept) =>
      told(api.PUT("/api/rules", { body: { version: queries.getQueryData<Schemas["RulesShown"]>(key)?.version ?? 0, ...kept } })),
    onSuccess: (fresh) => {
      void queries.cancelQueries({ queryKey: key }); // an answer from before this change must not come over it
      const others = queries.isMutating({ mutationKey: KEEPING }) > 1; // what they change is on the screen already
      queries.setQueryData<Schemas["RulesShown"]>(key, (held) => (others && held ? { ...held, version: fresh.version } : fresh));
      void queries.invalidateQueries({ queryKey: keys.everyDesign });
    },
    onError: (problem) => {
      sayProblem(problem);
      void queries.invalidateQueries({ queryKey: key });
    },
  });
  const keep = (changes: Partial<Kept>) => {
    const held = queries.getQueryData<Schemas["RulesShown"]>(key);
    if (!held) return;
    void queries.cancelQueries({ queryKey: key }); // what was asked before the change must not come back over it
    queries.setQueryData(key, { ...held, ...changes });
    send.mutate({ rules: held.rules, names: held.names, numbered: held.numbered, ...changes });
  };
  return {
    rules: data?.rules,
    names: data?.names,
    numbered: data?.numbered,
    keep: (rules: Rule[]) => keep({ rules }),
    keepNames: (names: Names) => keep({ names }),
    keepNumbered: (numbered: Numbered) => keep({ numbered }),
    keepAll: (rules: Rule[], names: Names, numbered: Numbered) => keep({ rules, names, numbered }),
  };
}

/** The rules as cards, in the order in which they are asked. */
export function RuleCards({ chosen, choose }: { chosen: number | null; choose: (index: number) => void }) {
  const { rules, keep, keepAll } = useRules();
  const file = useRef<HTMLInputElement>(null);
  if (!rules) return null;
  const take = async (chosenFile: File) => {
    try {
      const read = JSON.parse(await chosenFile.text()) as { rules?: Rule[]; names?: Names; numbered?: Numbered };
      if (!Array.isArray(read.rules)) throw new Error();
      keepAll(read.rules, read.names ?? {}, read.numbered ?? []);
    } catch {
      toast.error("This file holds no line rules.", { description: "Choose a RULES.json that was saved here." });
    }
  };
  const small = "h-9 rounded-[6px] border border-rule bg-white px-3 font-semibold hover:border-slate inline-flex items-center";
  return (
    <section className="mb-6" aria-label="Line rules">
      <div className="mb-2.5 flex items-center justify-between">
        <h2>Line rules</h2>
        <div className="flex gap-2">
          <button
            type="button"
            className={small}
            onClick={() => {
              keep([FRESH, ...rules]);
              choose(0);
            }}
          >
            Add a rule
          </button>
          <a className={small} href="/api/rules/file" download="RULES.json">
            Save as a file
          </a>
          <button type="button" className={small} onClick={() => file.current?.click()}>
            Take from a file
          </button>
          <input
            ref={file}
            type="file"
            accept=".json"
            aria-label="Rules file"
            className="hidden"
            onChange={(event) => event.target.files?.[0] && void take(event.target.files[0])}
          />
        </div>
      </div>
      <p className="mb-2.5 text-slate">
        Which paths in PDF, SVG and DXF art are lines for a tool. The first rule that fits decides; what it catches is never printed.
      </p>
      <ol className="grid grid-cols-3 gap-3">
        {rules.map((rule, index) => (
          <li key={index}>
            <button
              type="button"
              aria-pressed={chosen === index}
              onClick={() => choose(index)}
              className={`flex h-[84px] w-full items-center gap-3 rounded-[7px] border bg-paper px-3 text-left ${rim(chosen === index)}`}
            >
              <span className="w-4 shrink-0 text-right font-semibold text-slate">{index + 1}</span>
              <span className="min-w-0">
                <span className="flex items-center leading-4 font-semibold">
                  <LineSample kind={rule.kind} />
                  {KIND_WORDS[rule.kind]}
                </span>
                <span className="mt-1 line-clamp-2 text-[12px] text-slate">
                  {BY.find(([by]) => by === rule.by)?.[1]}: {rule.values.join(", ")}
                  {rule.by === "width" ? " mm" : ""}
                </span>
              </span>
            </button>
          </li>
        ))}
      </ol>
      <LineNames />
    </section>
  );
}

/** One rule in the column of readings: what it is, where it stands, what it would catch. */
export function RuleSettings({ index, choose }: { index: number; choose: (index: number | null) => void }) {
  const { rules, names, keep } = useRules();
  const rule = rules?.[index];
  if (!rules || !rule) return <p>Choose a rule.</p>;
  const put = (changes: Partial<Rule>) => keep(rules.map((other, at) => (at === index ? { ...other, ...changes } : other)));
  const move = (to: number) => {
    const order = rules.filter((_, at) => at !== index);
    order.splice(to, 0, rule);
    keep(order);
    choose(to);
  };
  const small = "h-9 flex-1 rounded-[6px] border border-rule bg-white font-semibold hover:border-slate disabled:text-slate/50";
  return (
    <>
      <h1>Rule {index + 1}</h1>
      <div className="mt-3 flex gap-2">
        <button type="button" className={small} disabled={index === 0} onClick={() => move(index - 1)}>
          Ask earlier
        </button>
        <button type="button" className={small} disabled={index === rules.length - 1} onClick={() => move(index + 1)}>
          Ask later
        </button>
        <button
          type="button"
          className={small}
          onClick={() => {
            keep(rules.filter((_, at) => at !== index));
            choose(null);
          }}
        >
          Take out
        </button>
      </div>
      <Section title="What it says">
        <ChoiceRow
          label="Catches"
          value={rule.kind}
          choices={KINDS}
          why="The kind of line that a caught path becomes."
          onChange={(kind) => put({ kind })}
        />
        <ChoiceRow
          label="By"
          value={rule.by}
          choices={BY}
          why={HINTS[rule.by]}
          onChange={(by) => put({ by, values: by === "colour" ? [MAGENTA] : by === "width" ? ["0.1"] : rule.values })}
        />
        <Values key={`${index} ${rule.by} ${rule.values.join()}`} rule={rule} put={(values) => put({ values })} />
      </Section>
      <Trial rules={rules} names={names ?? {}} />
    </>
  );
}

function Values({ rule, put }: { rule: Rule; put: (values: string[]) => void }) {
  const written = rule.values.join(", ");
  const [text, setText] = useState(written);
  const commit = () => {
    const values = text
      .split(/[,\n]/)
      .map((value) => value.trim())
      .filter(Boolean);
    if (values.length && values.join(", ") !== written) put(values);
    else setText(written);
  };
  return (
    <label className="mt-2.5 block">
      <span>{BY.find(([by]) => by === rule.by)?.[1]}</span>
      <textarea
        aria-label="Looks for"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onBlur={commit}
        rows={4}
        className="mt-1 w-full rounded-[5px] border border-rule bg-white px-2.5 py-1.5 font-semibold"
      />
      <span className="text-[12px] text-slate">{HINTS[rule.by]}</span>
    </label>
  );
}

/** All rules tried on one design's art, before anything is made of it. */
function Trial({ rules, names }: { rules: Rule[]; names: Names }) {
  const { data: designs } = useQuery(designsQuery);
  const vector = designs?.filter((design) => design.form !== "picture") ?? [];
  const [picked, pick] = useState<number | null>(null);
  const design = picked ?? vector[0]?.id;
  const { data: tried, error } = useQuery({
    queryKey: keys.rulesTried(design, [rules, names]),
    queryFn: () =>
      told(api.POST("/api/rules/try/{design_id}", { params: { path: { design_id: design ?? 0 } }, body: { rules, names, numbered: [] } })),
    enabled: design !== undefined,
  });
  if (!vector.length)
    return (
      <Section title="Try them">
        <p className="text-slate">Take in a PDF, SVG or DXF in Lines, and see here what the rules would catch in it.</p>
      </Section>
    );
  const caught = Object.entries(tried?.caught ?? {});
  return (
    <Section title="Try them">
      <select
        aria-label="Design to try the rules on"
        value={design}
        onChange={(event) => pick(Number(event.target.value))}
        className="h-9 w-full rounded-[5px] border border-rule bg-white px-2 font-semibold"
      >
        {vector.map((one) => (
          <option key={one.id} value={one.id}>
            {one.name}
          </option>
        ))}
      </select>
      {error && <p className="mt-1.5 text-stop">{error.message}</p>}
      {tried && (
        <div role="status" aria-label="Trial">
          <p className="mt-2 font-semibold">
            {caught.length
              ? `Would catch ${caught.map(([kind, count]) => `${count} ${count === 1 ? "path" : "paths"} as ${kind}`).join(", ")}.`
              : "Would catch nothing."}
          </p>
          {tried.suspects > 0 && (
            <p className="mt-1 text-check-text">
              {tried.suspects} thin {tried.suspects === 1 ? "stroke looks" : "strokes look"} like a line and would be printed.
            </p>
          )}
          {tried.names.length > 0 && <p className="mt-1 text-[12px] text-slate">Layers and spots in it: {tried.names.join(", ")}</p>}
        </div>
      )}
    </Section>
  );
}
