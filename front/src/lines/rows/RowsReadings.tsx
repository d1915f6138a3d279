import type { Field } from "../../api/useRows";
import { Action, Button, FileButton, linkLook, TextButton } from "../../ui/Button";
import { Note } from "../../ui/Card";
import { Big } from "../../ui/Readings";
import { Fold, Row, Section } from "../../ui/Row";
import { figure } from "../../ui/units";
import { Working } from "../../ui/Working";
import { FieldSettings } from "./FieldSettings";
import type { Shown } from "./RowsStation";
import { Serials } from "./Serials";
import { TableReading } from "./TableReading";
import { WHAT_WORDS } from "./wording";

const rowLook = "flex min-h-9 w-full items-center justify-between gap-3 border-b border-rule text-left hover:text-pine";

type Props = {
  station: Shown;
  chosen: number | null;
  choose: (index: number | null) => void;
  add: (what: Field["what"]) => void;
  remove: () => void;
  go: (row: number) => void;
};

/** How many rows, what is wrong with any, the fields and what they say, serials, how the table is read. */
export function RowsReadings({ station, chosen, choose, add, remove, go }: Props) {
  const { table, rows, put, checked, design } = station;
  const field = chosen === null ? undefined : rows.fields[chosen];
  return (
    <>
      <div className="flex justify-between">
        <Big label={table?.table ? "rows of the table" : "copies"} value={figure(table?.count ?? 0, 0)} />
        <Big label="to print" value={figure(table?.printed ?? 0, 0)} />
        <Big
          label="wrong"
          value={checked ? figure(checked.count, 0) : "–"}
          tone={checked ? (checked.count ? "text-stop" : "text-go") : "text-slate"}
          end
        />
      </div>
      <Looked station={station} go={go} />
      <Section title="Fields">
        {rows.fields.map((one, index) => (
          <button
            key={index}
            type="button"
            aria-pressed={chosen === index}
            onClick={() => choose(chosen === index ? null : index)}
            className={`${rowLook} ${chosen === index ? "text-pine" : ""}`}
          >
            <span className="shrink-0 font-semibold">{one.name}</span>
            <span className="truncate text-slate">{one.says}</span>
          </button>
        ))}
        {rows.fields.length === 0 && <p className="py-1 text-slate">Nothing differs yet. Put a field on the art.</p>}
        <div className="mt-2 flex gap-1.5">
          {(["text", "code", "picture"] as const).map((what) => (
            <Button
              key={what}
              narrow
              hint={what === "picture" ? undefined : what[0]?.toUpperCase()}
              disabled={!design.document.width_mm}
              onClick={() => add(what)}
            >
              {WHAT_WORDS[what]}
            </Button>
          ))}
        </div>
      </Section>
      {field && chosen !== null && (
        <Section title={field.name}>
          <FieldSettings
            key={chosen}
            field={field}
            table={table}
            serials={rows.serials}
            takeFont={station.takeFont}
            put={(words, changes) =>
              put(words, { fields: rows.fields.map((one, index) => (index === chosen ? ({ ...one, ...changes } as Field) : one)) })
            }
          />
          <TextButton hint="Delete" onClick={remove}>
            Take this field away
          </TextButton>
        </Section>
      )}
      <Became station={station} />
      <Fold name="rows serials" title="Serials" closed={rows.serials.length === 0}>
        <Serials serials={rows.serials} put={put} />
      </Fold>
      <Fold name="rows table" title="Table">
        <TableReading station={station} />
      </Fold>
    </>
  );
}

const STATES = ["good", "printed", "planned", "spoiled", "missing"] as const;

/** What became of the rows, once any run has them; the whole report as a table. */
function Became({ station: { table, design } }: { station: Shown }) {
  const states = table?.states ?? {};
  if (!STATES.some((state) => state !== "missing" && states[state])) return null;
  return (
    <Section title="What became of them">
      {STATES.filter((state) => states[state]).map((state) => (
        <Row key={state} label={state} tone={state === "spoiled" ? "text-stop" : state === "good" ? "text-go" : ""}>
          {figure(states[state] ?? 0, 0)}
        </Row>
      ))}
      <a href={`/api/rows/${design.id}/report.csv`} download className={linkLook}>
        Every row as a table (CSV)
      </a>
    </Section>
  );
}

const counted = (count: number, one: string, more: string) => `${figure(count, 0)} ${count === 1 ? one : more}`;

/** The one main action: a table where none is, else a look at every row; and what it found. */
function Looked({
  station: { table, checking, check, checked, rows, put, take, taking },
  go,
}: {
  station: Shown;
  go: (row: number) => void;
}) {
  if (taking) return <p className="mt-3 font-semibold">Reading the table …</p>;
  if (checking.progress)
    return (
      <div className="mt-3">
        <Working progress={checking.progress} cancel={checking.cancel} />
      </div>
    );
  if (!table?.table && rows.fields.length === 0)
    return (
      <div className="mt-3">
        <FileButton accept=".csv,.tsv,.txt,.xlsx,.xls,.ods" take={take}>
          Take in a table: CSV or workbook
        </FileButton>
        <p className="mt-1.5 text-[12px] text-slate">Without one, copies can still count up: add a serial.</p>
      </div>
    );
  return (
    <div className="mt-3">
      <Action main={!checked} hint="Enter" disabled={rows.fields.length === 0} onClick={check}>
        {checked ? "Check every row again" : "Check every row"}
      </Action>
      {checked && checked.count === 0 && <p className="mt-2 font-semibold text-go">All {figure(checked.rows, 0)} rows can be printed.</p>}
      {checked && checked.count > 0 && (
        <>
          <Note tone="stop">
            {counted(checked.count, "thing is wrong", "things are wrong")} in {counted(checked.bad.length, "row", "rows")}
            {checked.bad.length >= 2000 && " and more"}. Nothing of it is printed until it is decided.
          </Note>
          {checked.troubles.slice(0, 6).map((one) => (
            <button
              key={`${one.row} ${one.field} ${one.why}`}
              type="button"
              onClick={() => go(one.row)}
              className="block w-full border-b border-rule py-1.5 text-left hover:text-pine"
            >
              <b className="font-semibold">
                Row {figure(one.row, 0)}
                {one.field && `, ${one.field}`}
              </b>{" "}
              {one.why}
            </button>
          ))}
          {checked.count > 6 && <p className="py-1 text-slate">and {figure(checked.count - 6, 0)} more</p>}
          <TextButton
            onClick={() =>
              put(`${checked.bad.length} rows left out`, {
                left_out: [...new Set([...rows.left_out, ...checked.bad])].sort((a, b) => a - b),
              })
            }
          >
            Leave these rows out
          </TextButton>
        </>
      )}
    </div>
  );
}
