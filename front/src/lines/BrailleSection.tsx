import { useState } from "react";
import { useBraille } from "../api/useBraille";
import type { Schemas } from "../api/client";
import { Button, TextButton } from "../ui/Button";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { Row } from "../ui/Row";

type Props = { design: Schemas["DesignShown"]; keep: (fresh: Schemas["DesignShown"]) => void };

/** Text as braille on a plate of its own: beside its cells, with what is read back out of them. Once it is made only its place changes. */
export function BrailleSection({ design, keep }: Props) {
  const { choices, held, placement, put, putting } = useBraille(design, keep);
  const [draft, setDraft] = useState<{ of: string; text: string }>({ of: "", text: "" });
  const now = held?.text ?? "";
  const text = draft.of === now ? draft.text : now;
  if (!choices) return null;
  const sizes = choices.sizes.find(({ key }) => key === held?.sizes);
  return (
    <>
      <label className="mt-1 block text-[12px] text-slate">
        What the sign says
        <textarea
          rows={2}
          maxLength={4000}
          value={text}
          onChange={(event) => setDraft({ of: now, text: event.target.value })}
          className="mt-1 block w-full rounded-[5px] border border-rule bg-white px-2.5 py-1.5 text-[13px] text-ink"
        />
      </label>
      <div className="mt-1.5 flex items-center gap-2">
        <Button narrow disabled={putting || !text.trim() || text === now} onClick={() => put({ text })}>
          {held ? "Put it into dots again" : "Put it into dots"}
        </Button>
        {held && <TextButton onClick={() => put({ text: "" })}>Take it away</TextButton>}
      </div>
      {held && (
        <>
          <p lang="und-Brai" className="mt-2 text-[22px] leading-8 whitespace-pre-line" aria-label="Cells">
            {held.cells}
          </p>
          <Row label="Read back">
            <span className="whitespace-pre-line">{held.back}</span>
          </Row>
          <p className="py-1.5 text-[12px] text-check-text">Have a reader of braille proof it; local rules differ.</p>
          <ChoiceRow
            label="Table"
            value={held.table}
            choices={choices.tables.map(({ file, name }): [string, string] => [file, name])}
            why="Which language, and whether words are contracted."
            onChange={(table) => put({ table })}
          />
          <ChoiceRow
            label="Sizes"
            value={held.sizes}
            choices={choices.sizes.map(({ key, name }): [string, string] => [key, name])}
            why={sizes ? sizes.source : "Of dots, cells and lines."}
            onChange={(next) => put({ sizes: next })}
          />
          <ChoiceRow
            label="Lines in capitals"
            value={held.as_typed ? "typed" : "small"}
            choices={[
              ["small", "become small letters"],
              ["typed", "stay capitals"],
            ]}
            why="Signs are lettered in capitals; braille keeps them for names, sentences and single letters."
            onChange={(value) => put({ as_typed: value === "typed" })}
          />
          <NumberRow
            label="From the left"
            value={held.x_mm}
            decimals={2}
            why="Of the sign as it is read, to the edge of the first dot."
            onChange={(x_mm) => put({ x_mm })}
          />
          <NumberRow
            label="From the foot"
            value={held.y_mm}
            decimals={2}
            why="To the lower edge of the lowest dot."
            onChange={(y_mm) => put({ y_mm })}
          />
          {placement?.told.map(({ words, x, y }) => (
            <p key={`${words} ${x} ${y}`} className="border-b border-rule py-1.5 text-[12px] text-check-text">
              {words} <span className="text-slate">{`At ${x.toFixed(0)}, ${y.toFixed(0)} mm.`}</span>
            </p>
          ))}
          {placement?.rules && <p className="py-1.5 text-[12px] text-slate">{placement.mounting}</p>}
          <Row label="It takes">
            {held.width_mm.toFixed(1)} × {held.height_mm.toFixed(1)} mm, dots {sizes?.height_mm ?? "?"} mm high
          </Row>
          <a
            href={`/api/braille/${design.id}/heights.png`}
            download
            className="flex min-h-9 items-center font-semibold text-pine hover:underline"
          >
            Picture of heights, 16 bits
          </a>
        </>
      )}
    </>
  );
}
