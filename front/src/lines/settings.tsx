import type { Schemas } from "../api/client";
import { Key, linkLook, WordButton } from "../ui/Button";
import { useLooksOnly } from "../ui/looksOnly";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { Row, Section } from "../ui/Row";
import { figure, length } from "../ui/units";
import { KINDS } from "./kinds";
import { pressedLook, wordLook } from "../ui/look";

type Design = Schemas["DesignShown"];
type Kind = Schemas["MeaningAsked"]["means"];
type Word = Schemas["MeaningAsked"]["word"];

/** Words that customers use for two kinds of line; the first is what is taken until the customer is asked. */
const MEANINGS: Record<Word, { said: string; asked: string; kinds: [Kind, string][] }> = {
  score: {
    said: "Score",
    asked: "Some customers say score for a crease.",
    kinds: [
      ["score", "A cut of part depth"],
      ["crease", "A crease"],
    ],
  },
  contour: {
    said: "Contour cut",
    asked: "Most customers mean a kiss cut by a contour or a die line, some a cut through the liner.",
    kinds: [
      ["kiss", "A kiss cut"],
      ["through", "A through cut"],
    ],
  },
};

/** What the line rules made of the file: caught, and what looks like a line but was not. */
export function CaughtLines({
  design,
  caught,
  mean,
}: {
  design: Design;
  caught: Schemas["CaughtReport"];
  mean: (word: Word, means: Kind) => void;
}) {
  const kinds = Object.entries(caught.caught);
  const looksOnly = useLooksOnly();
  return (
    <>
      <Row label="Caught as lines">{kinds.length ? kinds.map(([kind, count]) => `${count} ${kind}`).join(", ") : "none"}</Row>
      {(caught.asks ?? []).map((word) => {
        const { said, asked, kinds } = MEANINGS[word];
        const meant = design.meanings[word];
        if (meant)
          return (
            <ChoiceRow
              key={word}
              label={`“${said}” of ${design.customer}`}
              value={meant}
              choices={kinds}
              why="What the word means in this customer's files."
              onChange={(means) => mean(word, means)}
            />
          );
        return (
          <div
            key={word}
            role="group"
            aria-label={`What ${word} means`}
            className="my-2 rounded-[6px] border border-check bg-white px-3 py-2"
          >
            <p className="mb-2">
              {asked} It is taken for a {kinds[0]?.[0]} now. What does {design.customer} mean? Etiquette remembers.
            </p>
            <div className="flex gap-2">
              {kinds.map(([kind, words]) => (
                <button
                  key={kind}
                  type="button"
                  disabled={looksOnly}
                  onClick={() => mean(word, kind)}
                  className="h-9 flex-1 rounded-[5px] border border-rule bg-white font-semibold hover:border-slate disabled:text-slate/60"
                >
                  {words}
                </button>
              ))}
            </div>
          </div>
        );
      })}
      {caught.left_in && caught.left_in.length > 0 && (
        <p className="mt-1.5 text-check-text">
          Text or pictures in {caught.left_in.join(", ")} stay in the colour: ask for them as outlines.
        </p>
      )}
      {caught.why.map((why) => (
        <p key={why} className="mt-1 text-[12px] text-slate">
          {why}
        </p>
      ))}
      {caught.suspects > 0 && (
        <p className="mt-1.5 text-check-text">
          {caught.suspects === 1 ? "One thin stroke looks" : `${caught.suspects} thin strokes look`} like a line and{" "}
          {caught.suspects === 1 ? "is" : "are"} printed. If a tool should follow {caught.suspects === 1 ? "it" : "them"}, press{" "}
          {caught.suspects === 1 ? "it" : "one"} below.
        </p>
      )}
      {caught.left_out && caught.left_out.length > 0 && (
        <p className="mt-1.5 text-check-text">Left out because it must not run or be fetched: {caught.left_out.join(", ")}.</p>
      )}
      {caught.undrawn && caught.undrawn.length > 0 && (
        <p className="mt-1.5 text-check-text">
          Not drawn: {caught.undrawn.join(", ")}. If they belong to the art, ask for them as outlines.
        </p>
      )}
      {caught.fonts_lacking && caught.fonts_lacking.length > 0 && (
        <p className="mt-1.5 text-check-text">
          Fonts not in the file: {caught.fonts_lacking.join(", ")}. Text in them is drawn in another one; ask for it as outlines.
        </p>
      )}
      {caught.hidden.length > 0 && (
        <p className="mt-1.5 text-[12px] text-slate">Switched off in the file and left out: {caught.hidden.join(", ")}.</p>
      )}
    </>
  );
}

type Finding = Schemas["Finding"];

/** What the checks found, alike ones on one line: a click goes to the next of them, a safe repair mends them all. */
export function ToLookAt({
  findings,
  looked,
  look,
  repair,
}: {
  findings: Finding[];
  looked: number | null;
  look: (index: number) => void;
  repair: (finding: Finding) => void;
}) {
  const kinds = [...new Map(findings.map((finding) => [finding.title, finding])).values()];
  return (
    <Section
      title={`To look at ${findings.length}`}
      aside={
        <span className="flex items-center gap-1.5 text-[12px] font-normal text-slate">
          next <Key>F</Key>
        </span>
      }
    >
      <ul>
        {kinds.map((first) => {
          const alike = findings.flatMap((finding, index) => (finding.title === first.title ? [index] : []));
          const at = looked === null ? -1 : alike.indexOf(looked);
          const shown = at < 0 ? undefined : findings[alike[at] ?? 0];
          return (
            <li
              key={first.title}
              className={`flex min-h-[36px] items-center justify-between gap-2 border-b border-rule ${shown ? "bg-pine-wash" : ""}`}
            >
              <button
                type="button"
                onClick={() => look(alike[(at + 1) % alike.length] ?? 0)}
                className="min-w-0 flex-1 py-1.5 text-left hover:text-pine"
              >
                <span className="block truncate">
                  {first.title}
                  {alike.length > 1 && <span className="text-slate"> × {alike.length}</span>}
                </span>
                {shown && (
                  <span className="block text-[12px] text-slate">
                    {at + 1}: {shown.words}
                  </span>
                )}
              </button>
              {first.repair && <WordButton onClick={() => repair(first)}>{first.repair}</WordButton>}
            </li>
          );
        })}
      </ul>
    </Section>
  );
}

type OneLineProps = {
  line: Schemas["LineShown"];
  unit: "mm" | "in";
  moved: [number, number];
  put: (words: string, edit: { kind: Kind | null; close?: boolean; move_mm?: [number, number] }) => void;
  close: () => void;
};

/** The line that was clicked: its kind, where it lies, closed, and out with it. */
export function OneLine({ line, unit, moved, put, close }: OneLineProps) {
  const kind = line.kind as Kind;
  const open = !line.d.trimEnd().endsWith("Z");
  const looksOnly = useLooksOnly();
  return (
    <Section
      title="This line"
      aside={
        <button type="button" onClick={close} className="text-[13px] font-semibold text-pine hover:underline">
          Let it go
        </button>
      }
    >
      <Row label="Length · nodes">
        {length(line.length_mm, unit, 0)} {unit} · {figure(line.nodes, 0)}
      </Row>
      <ChoiceRow
        label="Kind of the chosen line"
        value={kind}
        choices={KINDS}
        why="Only this line becomes another kind."
        onChange={(next) => put("kind of a line", { kind: next })}
      />
      <NumberRow
        label="Moved to the right by"
        signed
        value={moved[0]}
        step={0.1}
        decimals={2}
        why="Drag the line in the picture, or type. A minus moves it to the left."
        onChange={(right) => put("line moved", { kind, move_mm: [right, moved[1]] })}
      />
      <NumberRow
        label="Moved up by"
        signed
        value={moved[1]}
        step={0.1}
        decimals={2}
        why="A minus moves it down."
        onChange={(up) => put("line moved", { kind, move_mm: [moved[0], up] })}
      />
      {open && (
        <button
          type="button"
          disabled={looksOnly}
          onClick={() => put("line closed", { kind, close: true })}
          className={`flex min-h-[36px] w-full items-center border-b border-rule ${wordLook}`}
        >
          Close it with a stroke
        </button>
      )}
      <button
        type="button"
        disabled={looksOnly}
        onClick={() => put("a line taken out", { kind: null })}
        className={`flex min-h-[36px] w-full items-center ${wordLook}`}
      >
        Take this line out
      </button>
    </Section>
  );
}

type More = Design["document"]["more"][number];

type MoreLineProps = { line: More; number: number; put: (changes: Partial<More>, words: string) => void; remove: () => void };

/** One line more; `number`: as what is said of it names it, the line round the art being the first. */
export function MoreLine({ line, number, put, remove }: MoreLineProps) {
  const straight = line.course === "across" || line.course === "along";
  const looksOnly = useLooksOnly();
  return (
    <Section
      title={`Line ${number}: ${line.kind}`}
      aside={
        <button type="button" disabled={looksOnly} onClick={remove} className={linkLook}>
          Take it out
        </button>
      }
    >
      <ChoiceRow
        label="Kind of this line"
        value={line.kind}
        choices={KINDS}
        why="Which tool follows it."
        onChange={(kind) => put({ kind }, "kind of line")}
      />
      <ChoiceRow
        label="Goes"
        value={line.course}
        choices={[
          ["edge", "along the lines before it"],
          ["hull", "hull round them"],
          ["box", "box round them"],
          ["ellipse", "ellipse round them"],
          ["across", "straight across"],
          ["along", "straight along"],
        ]}
        why="Round all lines before it, or straight from edge to edge: a split of the liner, a perforated edge, a crease."
        onChange={(course) => put({ course }, "course of a line")}
      />
      {straight && (
        <NumberRow
          label={line.course === "across" ? "From the left" : "From the bottom"}
          value={line.place_mm}
          why="Where it lies, from the edge of the lines before it."
          onChange={(place_mm) => put({ place_mm }, "place of a line")}
        />
      )}
      <NumberRow
        label={straight ? "Runs past the edge" : "Outside them by"}
        signed
        value={line.offset_mm}
        why={straight ? "How far it runs over the edge, so that it ends in the waste." : "A minus puts it inside."}
        onChange={(offset_mm) => put({ offset_mm }, "offset of a line")}
      />
      {!straight && (
        <NumberRow
          label="Its corners"
          least={0}
          value={line.corner_mm}
          why="Corners are rounded to this radius, so that the knife can turn."
          onChange={(corner_mm) => put({ corner_mm }, "corners of a line")}
        />
      )}
    </Section>
  );
}

export function GroundRow({
  design,
  change,
  picking,
  pick,
}: {
  design: Design;
  change: (words: string, changes: Partial<Design["document"]>) => void;
  picking: boolean;
  pick: () => void;
}) {
  const { ground } = design.document;
  const found = design.summary?.report.ground;
  const own: [string, string][] = ground.startsWith("#") ? [[ground, ground.split(",").join(", ")]] : [];
  return (
    <ChoiceRow
      label="Ground"
      value={ground}
      choices={[["auto", `told by itself${found && ground === "auto" ? `: ${found}` : ""}`], ["alpha", "transparency"], ...own]}
      why="What counts as background when the edge is looked for. Several colours can be picked, one after the other."
      onChange={(value) => change("ground", { ground: value })}
    >
      <button
        type="button"
        aria-pressed={picking}
        onClick={pick}
        className={`mt-1.5 min-h-9 rounded-[5px] border border-rule bg-white px-2.5 ${pressedLook}`}
      >
        {picking ? "Click the ground in the art" : own.length ? "Pick one more colour" : "Pick it in the art"}
      </button>
    </ChoiceRow>
  );
}
