import { AsAWhole } from "../ui/AsAWhole";
import { Link } from "react-router";
import { Action, Button, TextButton } from "../ui/Button";
import { Note } from "../ui/Card";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { Big } from "../ui/Readings";
import { Fold, Row, Section } from "../ui/Row";
import { figure, length, useUnit } from "../ui/units";
import { UseRecipe } from "../ui/UseRecipe";
import { Working } from "../ui/Working";
import { BrailleSection } from "./BrailleSection";
import { ColourSettings } from "./ColourSettings";
import { EdgeSettings } from "./EdgeSettings";
import { movedBy, withEdit } from "./edits";
import { KIND_WORDS, kindsOf } from "./kinds";
import { LineSample } from "./LinePaths";
import { Arranging, Plates } from "./Plates";
import { OthersAlike } from "./OthersAlike";
import { OwnMarks } from "./OwnMarks";
import { isCorrected } from "./seen";
import { WideAs } from "./WideAs";
import { PickPaths } from "./PickPaths";
import { CaughtLines, MoreLine, OneLine, ToLookAt } from "./settings";
import type { useTakeIn } from "./takeIn";
import type { Station } from "./useStation";

const BLEED_WHY =
  "The colours at the edge of the art are carried outward this far past the line. " +
  "Nothing is printed over a neighbour: half the gap is the most.";

type Props = { station: Station; opener: number; send: ReturnType<typeof useTakeIn>["send"] };

/** What is to be read and set of a design, in the order of the work: size, line, what to look at, bleed, white and clear, art. */
export function LinesReadings({ station, opener, send }: Props) {
  const { design, change, arrange, findings } = station;
  const document = design.document;
  return (
    <>
      <Size station={station} />
      <Next station={station} />
      <OthersAlike station={station} />
      <Section title="Lines">
        <Lines station={station} />
      </Section>
      <ChosenLine station={station} />
      {findings.length > 0 && <ToLookAt findings={findings} looked={station.looked} look={station.look} repair={station.mend} />}
      <Proposed station={station} />
      {design.form !== "picture" && <InTheFile station={station} />}
      <Fold name="lines edge" title={document.follow === "none" ? "A line round the art" : `${KIND_WORDS[document.kind]} line`}>
        <EdgeSettings station={station} opener={opener} />
      </Fold>
      {document.more.map((line, index) => (
        <MoreLine
          key={index}
          line={line}
          number={index + 2}
          put={(changes, words) =>
            change(words, { more: document.more.map((other, at) => (at === index ? { ...other, ...changes } : other)) })
          }
          remove={() => change("line taken out", { more: document.more.filter((_, at) => at !== index) })}
        />
      ))}
      <Fold name="lines bleed" title="Bleed">
        <Bleed station={station} />
      </Fold>
      <Fold name="lines colour" title="Colour" closed={!isCorrected(design)}>
        <ColourSettings station={station} />
      </Fold>
      <Fold name="lines white" title="White, clear, other inks">
        <Plates
          design={design}
          change={change}
          send={send}
          flip={() => arrange({ do: "second surface", by: 90, box: [0, 0, 1, 1] })}
          take={station.setPicking}
          taking={station.picksPlate}
        />
      </Fold>
      <Fold name="lines braille" title="Braille" closed={!document.braille}>
        <BrailleSection design={design} keep={station.keep} />
      </Fold>
      <Section title="Copies, tiles, folding">
        <Link to={`/lines/${design.id}/rows`} className="flex min-h-9 items-center font-semibold text-pine hover:underline">
          {document.rows?.fields.length ? "Filled from rows: fields and table" : "Make every copy different: names, numbers, codes"}
        </Link>
        {document.tile ? (
          <Link to={`/lines/${document.tile.of}/tiles`} className="flex min-h-9 items-center font-semibold text-pine hover:underline">
            Tile {document.tile.number} of {document.tile.whole}
          </Link>
        ) : (
          <Link to={`/lines/${design.id}/tiles`} className="flex min-h-9 items-center font-semibold text-pine hover:underline">
            {document.tiles ? "Taken apart: its tiles" : "Larger than the stock: take it apart into tiles"}
          </Link>
        )}
        <Link to={`/lines/${design.id}/fold`} className="flex min-h-9 items-center font-semibold text-pine hover:underline">
          See it folded about its creases
        </Link>
        <Link to="/lines/forms" className="flex min-h-9 items-center font-semibold text-pine hover:underline">
          Draw a flat form: box, tube, sleeve, tag
        </Link>
      </Section>
      <UseRecipe name="lines recipe" use={station.useRecipe} from={{ design_id: design.id }} />
      <Fold name="lines marks" title="Marks it brings along" closed={!document.own_marks}>
        <OwnMarks station={station} />
      </Fold>
      <Fold name="lines art" title="Art">
        <Arranging
          design={design}
          step={arrange}
          cropping={station.framing === "crop"}
          crop={() => station.setFraming(station.framing === "crop" ? null : "crop")}
        />
        <ChoiceRow
          label="Turning"
          value={document.turning}
          choices={[
            ["free", "free"],
            ["quarter", "quarter turns"],
            ["half", "half turns"],
            ["none", "none"],
          ]}
          why="How this piece may be turned on the roll: none keeps its grain."
          onChange={(value) => change("turning", { turning: value })}
        />
      </Fold>
      <AsAWhole
        kind="design"
        id={design.id}
        name={document.name}
        rename={(name) => change(`call it ${name}`, { name })}
        againWords="Take it once more, at another size"
      />
    </>
  );
}

/** What the art itself asks for: reasons, and one press that sets all of it; Undo takes it back. */
function Proposed({ station: { design, change } }: { station: Station }) {
  const { why = [], changes = {} } = design.summary?.proposed ?? {};
  if (why.length === 0) return null;
  return (
    <Section title="This art asks for">
      {why.map((words) => (
        <p key={words} className="py-1">
          {words}
        </p>
      ))}
      <TextButton onClick={() => change("as the art asks", changes)}>{why.length > 1 ? "Set all of it so" : "Set it so"}</TextButton>
    </Section>
  );
}

/** What came with vector art: lines that were caught, and paths that hands can make lines. */
function InTheFile({ station }: { station: Station }) {
  const { design } = station;
  const line_rules = (
    <Link to="/shelf" className="text-[13px] font-semibold text-pine hover:underline">
      Line rules
    </Link>
  );
  return (
    <Section title="In the file" aside={line_rules}>
      {design.summary?.caught && <CaughtLines design={design} caught={design.summary.caught} mean={station.mean} />}
      {(design.document.merge_own || Object.values(design.summary?.caught?.caught ?? {}).some((count) => count > 1)) && (
        <ChoiceRow
          label="Where they overlap"
          value={design.document.merge_own ? "one" : "each"}
          choices={[
            ["each", "each is cut"],
            ["one", "one outline"],
          ]}
          why="Shapes that were drawn over each other are cut as one, round the outside. A line inside another stays: it is a hole."
          onChange={(how) => station.change("lines that overlap", { merge_own: how === "one" })}
        />
      )}
      {design.document.width_mm !== null && <PickPaths station={station} />}
    </Section>
  );
}

function Size({ station: { design, change } }: { station: Station }) {
  const unit = useUnit((state) => state.unit);
  const { width_mm, due_count } = design.document;
  const known = width_mm !== null && design.height_mm !== null;
  const size = known ? `${length(width_mm, unit)} × ${length(design.height_mm ?? 0, unit)}` : "size not known";
  const proportion = (design.natural_width_mm ?? design.width_px) / (design.natural_height_mm ?? design.height_px);
  return (
    <>
      <Big label="width × height" value={size} unit={known ? unit : undefined} tone={known ? "" : "text-stop"} />
      {width_mm === null && <Note>The file does not say how large it is. Type the width below.</Note>}
      <div className="mt-1.5">
        <NumberRow
          label="Width"
          startOpen={width_mm === null}
          value={width_mm}
          least={0.5}
          why="The real width of the art; the height follows."
          onChange={(value) => change("width", { width_mm: value })}
        />
        <NumberRow
          label="Height"
          value={design.height_mm}
          least={0.5}
          why="The real height of the art; the width follows."
          onChange={(value) => change("height", { width_mm: Number((value * proportion).toFixed(4)) })}
        />
        {width_mm !== null && (
          <NumberRow
            key={width_mm}
            label="Scale by"
            kind="plain"
            suffix="%"
            decimals={0}
            step={5}
            least={1}
            most={2000}
            value={100}
            why="150 makes it half as large again as it is now."
            onChange={(value) => change(`${value} % as large`, { width_mm: Number(((width_mm * value) / 100).toFixed(4)) })}
          />
        )}
        {known && <WideAs design={design} take={(stock, wide) => change(`as wide as ${stock}`, { width_mm: wide })} />}
        <NumberRow
          label="Pieces due"
          kind="plain"
          decimals={0}
          step={1}
          least={1}
          value={due_count}
          why="How many good pieces the customer gets."
          onChange={(value) => change("pieces due", { due_count: Math.round(value) })}
        />
      </div>
    </>
  );
}

function Next({ station: { design, next, ready, notReady, find, finding, rectangle } }: { station: Station }) {
  const sized = design.document.width_mm !== null;
  return (
    <div className="mt-2.5 flex flex-col gap-2">
      {sized && (
        <Action main hint="Enter" onClick={() => void ready()} disabled={design.document.ready ? !next : !design.lines}>
          {!design.document.ready ? "Ready for a run" : next?.id ? `Check ${next.name}` : `Go to ${design.job}`}
        </Action>
      )}
      {design.document.ready && (
        <p className="flex min-h-9 items-center justify-between">
          <b className="font-semibold text-go">✓ Ready for a run</b>
          <Button narrow onClick={notReady}>
            Not ready
          </Button>
        </p>
      )}
      {next && next.waiting > 0 && (
        <p className="text-[12px] text-slate">
          {next.waiting === 1 ? "One more design" : `${figure(next.waiting, 0)} more designs`} of this job to check
        </p>
      )}
      {finding.progress ? (
        <Working progress={finding.progress} cancel={finding.cancel} />
      ) : (
        <Action hint="E" onClick={find} disabled={!sized}>
          Find edge again
        </Action>
      )}
      {design.document.follow !== "page" && (
        <Action hint="R" onClick={rectangle} disabled={!sized}>
          Rectangle round it
        </Action>
      )}
    </div>
  );
}

function Lines({ station }: { station: Station }) {
  const unit = useUnit((state) => state.unit);
  const { design, finding, refused, addLine } = station;
  const report = design.summary?.report;
  const nothing =
    design.document.width_mm === null
      ? "A line needs a size."
      : finding.progress
        ? "Finding the edge."
        : refused === design.revision
          ? "No line was found as it is set now. Change the settings, or choose a rectangle round it."
          : "No line yet.";
  return (
    <>
      {!report && <p className="text-slate">{nothing}</p>}
      {report &&
        kindsOf(design.lines ?? []).map(({ kind, count, length_mm, nodes }) => (
          <Row
            key={kind}
            label={
              <>
                <LineSample kind={kind} />
                {KIND_WORDS[kind] ?? kind}
                {count > 1 ? ` × ${count}` : ""}
              </>
            }
          >
            {length(length_mm, unit, 0)} {unit} · {figure(nodes, 0)} nodes
          </Row>
        ))}
      {report && (
        <Row label="Smallest radius" tone={report.smallest_radius_mm < 0.3 ? "text-check-text" : ""}>
          {report.smallest_radius_mm === 0 ? "sharp corner" : `${length(report.smallest_radius_mm, unit, 2)} ${unit}`}
        </Row>
      )}
      {report && report.max_deviation_mm > 0 && (
        <Row label="Off the edge, mean · most">
          {figure(report.mean_deviation_mm, 3)} · {figure(report.max_deviation_mm, 3)} mm
        </Row>
      )}
      {report?.warnings.map((warning) => (
        <p key={warning} className="mt-1.5 text-check-text">
          {warning}
        </p>
      ))}
      <TextButton hint="L" onClick={addLine}>
        Add a line
      </TextButton>
    </>
  );
}

function ChosenLine({ station: { design, chosen, choose, change } }: { station: Station }) {
  const unit = useUnit((state) => state.unit);
  const line = chosen === null ? undefined : design.lines?.[chosen];
  if (chosen === null || !line) return null;
  const edits = design.document.line_edits;
  return (
    <OneLine
      line={line}
      unit={unit}
      moved={movedBy(edits, chosen)}
      close={() => choose(null)}
      put={(words, edited) => {
        if (edited.kind === null) choose(null);
        change(words, { line_edits: withEdit(edits, chosen, edited) });
      }}
    />
  );
}

function Bleed({ station: { design, change, setView } }: { station: Station }) {
  const unit = useUnit((state) => state.unit);
  const bleed = design.summary?.bleed;
  return (
    <>
      <NumberRow
        label="Past the line"
        slide={[0, 5]}
        value={design.document.bleed_mm}
        least={0}
        why={BLEED_WHY}
        onChange={(value) => change("bleed", { bleed_mm: value })}
      />
      {bleed && (
        <Row label="Short along" tone={bleed.short_mm > 0 ? "text-check-text" : ""}>
          {bleed.short_mm > 0 ? (
            <button type="button" className="underline" onClick={() => setView("bleed")}>
              {length(bleed.short_mm, unit, 0)} {unit}
            </button>
          ) : bleed.stretches.length ? (
            "nowhere"
          ) : (
            "border unprinted, none needed"
          )}
        </Row>
      )}
    </>
  );
}
