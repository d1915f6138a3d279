import type { Schemas } from "../../api/client";
import { FileLink } from "../../ui/Button";
import { ChoiceRow } from "../../ui/Choice";
import { NumberRow } from "../../ui/Field";
import { Row } from "../../ui/Row";
import { figure } from "../../ui/units";
import type { Shown } from "./RowsStation";

const DELIMITERS: [string, string][] = [
  [",", "commas"],
  [";", "semicolons"],
  ["\t", "tabs"],
  ["|", "bars"],
];

/** How the table was read, each of it to be changed; its columns; what is asked of the printer. */
export function TableReading({ station: { table, read, take, rows, put } }: { station: Shown }) {
  const held = table?.table;
  const again = (changes: Partial<Schemas["TableDocument"]>) => {
    if (!held) return;
    const { delimiter, header, sheet, begins } = held;
    const how = { encoding: held.encoding || null, delimiter, header, sheet, begins };
    read({ ...how, ...changes } as Schemas["TableDocument"]);
  };
  return (
    <>
      {held && (
        <>
          <Row label="File">
            <span className="block max-w-[190px] truncate" title={held.file_name}>
              {held.file_name}
            </span>
          </Row>
          {held.encoding && (
            <ChoiceRow
              label="Letters"
              value={held.encoding}
              choices={table.encodings.map((one): [string, string] => [one, one])}
              why="How the file writes letters. Choose another where names look wrong."
              onChange={(encoding) => again({ encoding })}
            />
          )}
          {held.delimiter !== null && (
            <ChoiceRow
              label="Between cells"
              value={held.delimiter}
              choices={DELIMITERS}
              why="What stands between two cells."
              onChange={(delimiter) => again({ delimiter: delimiter as "," })}
            />
          )}
          {held.sheets.length > 1 && (
            <ChoiceRow
              label="Sheet"
              value={held.sheet ?? ""}
              choices={held.sheets.map((one): [string, string] => [one, one])}
              why="Of the workbook."
              onChange={(sheet) => again({ sheet, header: null, begins: null })}
            />
          )}
          <NumberRow
            label="Begins at row"
            kind="plain"
            decimals={0}
            step={1}
            least={1}
            most={1_000_000}
            value={held.begins}
            why="What stands above it, such as a title, is passed over. Empty rows do not count."
            onChange={(next) => again({ begins: Math.round(next), header: null })}
          />
          <ChoiceRow
            label="That row"
            value={held.header ? "names" : "row"}
            choices={[
              ["names", "names the columns"],
              ["row", "is a row like others"],
            ]}
            why="Whether it is printed."
            onChange={(value) => again({ header: value === "names" })}
          />
          {held.odd_count > 0 && (
            <p className="py-1.5 text-stop">
              {held.odd_count === 1 ? "One row is" : `${figure(held.odd_count, 0)} rows are`} not as the others.
            </p>
          )}
          {held.columns.map((one) => (
            <Row key={one.name} label={<span className="font-semibold">{one.name}</span>}>
              <span className="font-normal text-slate">
                {one.kind}
                {one.empty > 0 && `, ${figure(one.empty, 0)} empty`}
                {one.double > 0 && `, ${figure(one.double, 0)} double`}
                {one.rounded > 0 && <span className="text-stop">, {figure(one.rounded, 0)} without their last digits</span>}
              </span>
            </Row>
          ))}
        </>
      )}
      <NumberRow
        label="Dots an inch"
        kind="plain"
        decimals={0}
        step={50}
        least={50}
        most={5000}
        value={rows.dpi}
        why="Of the printer: modules of codes are whole dots."
        onChange={(dpi) => put("dots an inch", { dpi })}
      />
      <FileLink accept=".csv,.tsv,.txt,.xlsx,.xls,.ods" take={take}>
        {held ? "Another table" : "Take in a table"}
      </FileLink>
    </>
  );
}
