import type { CodeField, Field, RowsTable, Serial, TextField as Text } from "../../api/useRows";
import { FileLink } from "../../ui/Button";
import { ChoiceRow } from "../../ui/Choice";
import { NumberRow, TextField } from "../../ui/Field";
import { Labelled } from "../../ui/Row";
import { CODE_WORDS } from "./wording";

/** What is printed, and no colour of the page. */
// eslint-disable-next-line no-restricted-syntax -- an ink of the art, no colour of the screen
const FIRST_COLOUR = "#1f3a5f";

type Put<T> = (words: string, changes: Partial<T>) => void;
type Props = { field: Field; table?: RowsTable; serials: Serial[]; put: Put<Field>; takeFont: (file: File) => void };

/** What a field says and how: the words first, then its look, its place last. */
export function FieldSettings({ field, table, serials, put, takeFont }: Props) {
  const columns = [...(table?.table?.columns.map((one) => one.name) ?? []), ...serials.map((one) => one.name), "Row"];
  return (
    <>
      <Labelled words={field.what === "picture" ? "Its file, in the job" : "It says"}>
        <TextField label="It says" longest={2000} value={field.says} onChange={(says) => put(`what ${field.name} says`, { says })} />
      </Labelled>
      <div className="mt-1 flex flex-wrap gap-1" role="group" aria-label="Columns">
        {columns.map((name) => (
          <button
            key={name}
            type="button"
            title={`Put {${name}} behind it`}
            onClick={() => put(`what ${field.name} says`, { says: `${field.says}{${name}}` })}
            className="min-h-7 max-w-full truncate rounded-[4px] border border-rule bg-white px-1.5 text-[12px] hover:border-slate"
          >
            {name}
          </button>
        ))}
      </div>
      {field.what === "text" && <TextLook field={field} fonts={table?.fonts ?? []} put={put as Put<Text>} takeFont={takeFont} />}
      {field.what === "code" && <CodeLook field={field} put={put as Put<CodeField>} />}
      <Place field={field} put={put} />
      <ChoiceRow
        label="Two rows may say the same"
        value={field.unique ? "no" : "yes"}
        choices={[
          ["yes", "yes"],
          ["no", "no"],
        ]}
        why="No: a row that says what another one says is told as wrong."
        onChange={(value) => put("doubles", { unique: value === "no" })}
      />
      <ChoiceRow
        label="It may be empty"
        value={field.may_be_empty ? "yes" : "no"}
        choices={[
          ["no", "no"],
          ["yes", "yes"],
        ]}
        why="No: a row for which it says nothing is told as wrong."
        onChange={(value) => put("empty ones", { may_be_empty: value === "yes" })}
      />
      <Labelled words="Shown only if (nothing: always)">
        <TextField
          label="Shown only if"
          longest={500}
          value={field.shown_if}
          onChange={(shown_if) => put("when it is shown", { shown_if })}
        />
      </Labelled>
      <Labelled words="Name">
        <TextField
          label="Name of the field"
          longest={60}
          value={field.name}
          onChange={(name) => name.trim() && put("its name", { name: name.trim() })}
        />
      </Labelled>
    </>
  );
}

function TextLook({ field, fonts, put, takeFont }: { field: Text; fonts: string[]; put: Put<Text>; takeFont: (file: File) => void }) {
  const named = fonts.includes(field.font) ? fonts : [field.font, ...fonts];
  return (
    <>
      <ChoiceRow
        label="Font"
        value={field.font}
        choices={named.map((name): [string, string] => [name, name])}
        why="Where it lacks a letter, one that has it is taken. A font whose licence forbids embedding is refused."
        onChange={(font) => put("font", { font })}
      >
        <FileLink accept=".ttf,.otf" take={takeFont}>
          Add a font of yours
        </FileLink>
      </ChoiceRow>
      <Figure
        label="Size"
        suffix="pt"
        value={field.size_pt}
        least={1}
        most={2000}
        step={0.5}
        why="As large as this where it fits."
        put={(size_pt) => put("size", { size_pt })}
      />
      <ChoiceRow
        label="Where it does not fit"
        value={field.fit}
        choices={[
          ["shrink", "smaller"],
          ["wrap", "more lines"],
          ["refuse", "is wrong"],
        ]}
        why="What becomes of words that are longer than the box; below the least size they are told as wrong."
        onChange={(fit) => put("what does not fit", { fit })}
      />
      {field.fit !== "refuse" && (
        <Figure
          label="Least size"
          suffix="pt"
          value={field.least_pt}
          least={1}
          most={2000}
          step={0.5}
          why="No smaller than this."
          put={(least_pt) => put("least size", { least_pt })}
        />
      )}
      <ChoiceRow
        label="Stands"
        value={field.align}
        choices={[
          ["start", "where it begins to be read"],
          ["left", "left"],
          ["centre", "in the middle"],
          ["right", "right"],
        ]}
        why="Where it begins: at the left, or at the right for scripts that run from there."
        onChange={(align) => put("where it stands", { align })}
      />
      <ChoiceRow
        label="Stands, up and down"
        value={field.upright}
        choices={[
          ["top", "at the top"],
          ["middle", "in the middle"],
          ["bottom", "at the bottom"],
        ]}
        why="Of its box."
        onChange={(upright) => put("where it stands", { upright })}
      />
      <Figure
        label="Between letters"
        suffix="‰ of an em"
        value={field.tracking}
        least={-200}
        most={2000}
        step={10}
        zero="as the font has it"
        why="Room added between letters."
        put={(tracking) => put("between letters", { tracking })}
      />
      <NumberRow
        label="On a circle of"
        value={field.curve_mm}
        zero="straight"
        signed
        least={-10000}
        most={10000}
        step={1}
        why="Its radius: above 0 the words arch, below they hang."
        onChange={(curve_mm) => put("curve", { curve_mm })}
      />
      <Colour value={field.colour} put={(colour) => put("colour", { colour })} />
    </>
  );
}

function CodeLook({ field, put }: { field: CodeField; put: Put<CodeField> }) {
  return (
    <>
      <ChoiceRow
        label="Kind"
        value={field.kind}
        choices={CODE_WORDS}
        why="GS1 codes are written with their identifiers in brackets: (01){Gtin}(21){Serial}."
        onChange={(kind) => put("kind of code", { kind })}
      />
      {field.kind === "qr" && (
        <ChoiceRow
          label="May be damaged"
          value={field.level}
          choices={[
            ["", "as it fits"],
            ["L", "L, 7 %"],
            ["M", "M, 15 %"],
            ["Q", "Q, 25 %"],
            ["H", "H, 30 %"],
          ]}
          why="How much of it may be lost and it is read all the same."
          onChange={(level) => put("how much may be lost", { level })}
        />
      )}
      <NumberRow
        label="Least module"
        value={field.least_module_mm}
        decimals={3}
        step={0.01}
        least={0.02}
        most={20}
        why="A code with smaller modules than this is told as wrong."
        onChange={(least_module_mm) => put("least module", { least_module_mm })}
      />
      <ChoiceRow
        label="White under it"
        value={field.ground ? "yes" : "no"}
        choices={[
          ["no", "no"],
          ["yes", "yes"],
        ]}
        why="On dark or busy art: no ink under the code and its quiet zone."
        onChange={(value) => put("white under it", { ground: value === "yes" })}
      />
      <NumberRow
        label="Ink spreads by"
        value={field.spread_mm}
        decimals={3}
        step={0.01}
        zero="nothing"
        least={0}
        most={2}
        why="Taken off dark modules on every side, so that they come out right."
        onChange={(spread_mm) => put("what ink spreads", { spread_mm })}
      />
      <Colour value={field.colour} put={(colour) => put("colour", { colour })} />
    </>
  );
}

function Place({ field, put }: { field: Field; put: Put<Field> }) {
  const lengths: [string, "x_mm" | "y_mm" | "width_mm" | "height_mm", number, string][] = [
    ["From the left", "x_mm", -2000, "Of the art, to the box."],
    ["From the bottom", "y_mm", -2000, "Of the art, to the box."],
    ["Width", "width_mm", 0.5, "Of the box."],
    ["Height", "height_mm", 0.5, "Of the box."],
  ];
  return (
    <>
      {lengths.map(([label, key, least, why]) => (
        <NumberRow
          key={key}
          label={label}
          value={field[key]}
          least={least}
          most={20000}
          why={why}
          onChange={(value) => put(label.toLowerCase(), { [key]: value })}
        />
      ))}
      <Figure
        label="Turned by"
        suffix="°"
        value={field.turn_deg}
        least={-360}
        most={360}
        step={90}
        zero="not"
        why="About the middle of the box, against the clock."
        put={(turn_deg) => put("turned", { turn_deg })}
      />
    </>
  );
}

type FigureProps = {
  label: string;
  suffix: string;
  value: number;
  least: number;
  most: number;
  step: number;
  zero?: string;
  why: string;
  put: (value: number) => void;
};

function Figure({ put, ...rest }: FigureProps) {
  return <NumberRow kind="plain" {...rest} onChange={put} />;
}

function Colour({ value, put }: { value: string; put: (value: string) => void }) {
  return (
    <ChoiceRow
      label="Colour"
      value={value.startsWith("#") ? "own" : value}
      choices={[
        ["black", "full black"],
        ["own", value.startsWith("#") ? value : "another"],
        ...(value.startsWith("ink ") ? ([[value, "a colour of the shop"]] as [string, string][]) : []),
      ]}
      why="Full black is the black ink alone."
      onChange={(next) => put(next === "own" ? FIRST_COLOUR : next)}
    >
      {value.startsWith("#") && (
        <input
          type="color"
          aria-label="Its colour"
          defaultValue={value}
          onBlur={(event) => put(event.target.value)}
          className="mt-1.5 h-9 w-full"
        />
      )}
    </ChoiceRow>
  );
}
