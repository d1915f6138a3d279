import { useState } from "react";
import { useParams } from "react-router";
import type { Design } from "../../api/useDesign";
import { type Field, type RowsStation as Station, useRows } from "../../api/useRows";
import { Gone } from "../../ui/Gone";
import { useKeys } from "../../ui/keys";
import { Readings } from "../../ui/Readings";
import { OfDesign } from "../OfDesign";
import { FieldsOnArt } from "./FieldsOnArt";
import { OneRow } from "./OneRow";
import { RowsReadings } from "./RowsReadings";
import { newField } from "./wording";

/** Copies that are all different: fields on the art, a row of the table at a time, and all rows looked at before any is printed. */
export default function RowsStation() {
  const id = Number(useParams().id);
  return <One key={id} id={id} />;
}

export type Shown = Station & { design: Design };

function One({ id }: { id: number }) {
  const [row, setRow] = useState(1);
  const [chosen, choose] = useState<number | null>(null);
  const station = useRows(id, row);
  const { design, error, rows, table, put, step } = station;
  const count = table?.count ?? 1;
  const go = (next: number) => setRow(Math.min(count, Math.max(1, next)));
  const size: [number, number] = [design?.document.width_mm ?? 0, design?.height_mm ?? 0];
  const add = (what: Field["what"]) => {
    if (!size[0] || rows.fields.length >= 60) return;
    put(`a ${what}`, { fields: [...rows.fields, newField(what, rows.fields, size, table)] });
    choose(rows.fields.length);
  };
  const remove = () => {
    if (chosen === null || !rows.fields[chosen]) return;
    put(`${rows.fields[chosen].name} taken away`, { fields: rows.fields.filter((_, index) => index !== chosen) });
    choose(null);
  };
  useKeys({
    "ctrl+z": () => step("undo"),
    "ctrl+shift+z": () => step("redo"),
    t: () => add("text"),
    c: () => add("code"),
    ArrowRight: () => go(row + 1),
    ArrowLeft: () => go(row - 1),
    Home: () => go(1),
    End: () => go(count),
    Escape: () => choose(null),
    Delete: remove,
    Enter: station.check,
  });
  if (error) return <Gone error={error} />;
  if (!design || !table) return <main className="flex-1" />;
  const shown: Shown = { ...station, design };
  return (
    <>
      <main className="flex min-w-0 flex-1 flex-col px-16 pt-[18px] pb-6" aria-label="Rows">
        <OfDesign design={shown.design} as="row by row" hint="drag a field to move it, its corner to make it larger" step={shown.step} />
        <FieldsOnArt station={shown} row={row} chosen={chosen} choose={choose} />
        <OneRow station={shown} row={row} go={go} />
      </main>
      <Readings label="Readings">
        <RowsReadings station={shown} chosen={chosen} choose={choose} add={add} remove={remove} go={go} />
      </Readings>
    </>
  );
}
