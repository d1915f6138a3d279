import type { useWeb, Web } from "../../api/useWeb";
import { Action } from "../../ui/Button";
import { TextField } from "../../ui/Field";
import { Big } from "../../ui/Readings";
import { Fold, Labelled, Row, Section } from "../../ui/Row";
import { figure, length, metres, useUnit } from "../../ui/units";
import { Working } from "../../ui/Working";
import { Mark } from "./Mark";
import { StationMark } from "./StationMark";
import { Rolls } from "./Rolls";
import { CutLook, Repeat, Stock } from "./settings";
import { wordLook } from "../../ui/look";

export type Station = ReturnType<typeof useWeb> & { web: Web };

/** What follows of the drawing, what stands in the way, the files, and every setting. */
export function WebReadings({ station, show }: { station: Station; show: (index: number | null) => void }) {
  const { web, change } = station;
  const { making } = web;
  return (
    <>
      <div className="flex justify-between">
        <Big label="labels" value={figure(making.labels, 0)} />
        <Big label="stock" value={metres(making.length_mm)} />
        <Big label={making.rolls === 1 ? "roll" : "rolls"} value={figure(making.rolls, 0)} end />
      </div>
      <Files station={station} />
      <InTheWay web={web} />
      <Sums web={web} />
      <Fold name="web repeat" title="Labels on the repeat">
        <Repeat web={web} change={change} takeShape={station.takeShape} />
      </Fold>
      <Fold name="web stock" title="Stock" closed>
        <Stock web={web} change={change} />
      </Fold>
      <Fold name="web mark" title="Marks" closed={!web.mark && !web.document.station}>
        <Mark web={web} change={change} />
        <StationMark held={web.document.station} change={change} />
        {web.clearances.map((one, index) => (
          <div key={one.words} onPointerEnter={() => show(index)} onPointerLeave={() => show(null)}>
            <Row label={one.words} tone={one.kept ? "" : "text-stop"}>
              {figure(one.there_mm, 2)} mm <span className="font-normal text-slate">· {one.asked}</span>
            </Row>
          </div>
        ))}
      </Fold>
      <Fold name="web rolls" title="Rolls" closed>
        <Rolls web={web} change={change} />
      </Fold>
      <Fold name="web cut" title="Cut file" closed>
        <CutLook web={web} change={change} />
      </Fold>
      <Fold name="web name" title="Name" closed>
        <Labelled words="Name">
          <TextField
            label="Name"
            value={web.document.name}
            longest={120}
            onChange={(name) => name.trim() && change(`call it ${name}`, { name: name.trim() })}
          />
        </Labelled>
      </Fold>
    </>
  );
}

/** The pair of files: made, read back, and how often the page is printed. */
function Files({ station: { web, making, make } }: { station: Station }) {
  const { document } = web;
  const stops = web.problems.length + web.clearances.filter((one) => !one.kept).length;
  return (
    <div className="mt-3">
      {making.progress ? (
        <Working progress={making.progress} cancel={making.cancel} />
      ) : (
        !web.fresh && (
          <Action main hint="Enter" disabled={stops > 0} onClick={make}>
            {web.parts.length > 0
              ? "Make the files again"
              : document.feeding.cut_already
                ? "Make the print file"
                : "Make print and cut file"}
          </Action>
        )
      )}
      {web.fresh && (
        <p className="mb-1">
          {document.feeding.cut_already ? (
            <b className="font-semibold text-go">The print file is made.</b>
          ) : (
            <>
              <b className="font-semibold text-go">Both files match</b>, read back.
            </>
          )}{" "}
          {web.filled > 0
            ? `Each label is filled from its row: print all ${figure(web.making.repeats / (web.document.mark?.every ?? 1), 0)} pages, once.`
            : `Print the page ${figure(web.making.repeats / (web.document.mark?.every ?? 1), 0)} times.`}
        </p>
      )}
      {web.parts.length > 0 && !web.fresh && <p className="mt-2 text-check-text">The files below are of the web as it was.</p>}
      {web.parts.map((part) => (
        <Row
          key={part.name}
          label={
            <a href={`/api/webs/${web.id}/files/${part.name}`} download className={wordLook}>
              {part.name}
            </a>
          }
        >
          {figure(part.size / 1000, 0)} kB
        </Row>
      ))}
    </div>
  );
}

function InTheWay({ web }: { web: Web }) {
  const broken = web.clearances.filter((one) => !one.kept);
  const short = web.designs.filter((one) => one.short);
  if (web.problems.length + broken.length + web.applicator.length + short.length === 0) return null;
  return (
    <Section title="To look at">
      {web.problems.map((one) => (
        <p key={one.what} className="border-b border-rule py-1.5">
          <b className="font-semibold text-stop">{one.what}</b> {one.do}
        </p>
      ))}
      {broken.map((one) => (
        <p key={one.words} className="border-b border-rule py-1.5">
          <b className="font-semibold text-stop">
            {one.words} is {figure(one.there_mm, 2)} mm
          </b>
          , and has to be {one.asked}.
        </p>
      ))}
      {web.applicator.map((words) => (
        <p key={words} className="border-b border-rule py-1.5 text-check-text">
          {words}
        </p>
      ))}
      {short.map((one) => (
        <p key={one.id} className="border-b border-rule py-1.5">
          <b className="font-semibold">{one.name}</b>: {one.short}
        </p>
      ))}
    </Section>
  );
}

/** What is set on printer and die. */
function Sums({ web: { sums, making, document, currency } }: { web: Web }) {
  const unit = useUnit((state) => state.unit);
  const said = (mm: number) => length(mm, unit, 2);
  return (
    <Section title="What follows">
      <Row label="Art of a label, with bleed">
        {said(sums.art_width_mm)} × {said(sums.art_height_mm)} {unit}
      </Row>
      {(document.columns > 1 || document.rows > 1) && (
        <Row label="Gap to set, across · along">
          {document.columns > 1 ? said(sums.gap_across_set_mm) : "–"} · {document.rows > 1 ? said(sums.gap_along_set_mm) : "–"} {unit}
        </Row>
      )}
      <Row label="Printable page">
        {said(sums.printable_width_mm)} × {said(sums.printable_length_mm)} {unit}
      </Row>
      <Row label="To the next repeat">
        {said(sums.gap_to_next_mm)} {unit}
      </Row>
      <Row label="Stock that is no label">{figure(100 * making.waste, 0)} %</Row>
      {making.outer_mm !== null && (
        <Row label="A full roll">
          {said(making.outer_mm)} {unit} across
        </Row>
      )}
      {document.feeding.severs !== "end" && <Row label="Pieces off the printer">{figure(making.severed, 0)}</Row>}
      {making.stock_cost !== null && (
        <Row label="Stock">
          {figure(making.stock_cost, 2)} {currency}
        </Row>
      )}
      {making.ink_ml !== null && (
        <Row label="Ink">
          {figure(making.ink_ml, 0)} ml{making.ink_cost !== null && ` · ${figure(making.ink_cost, 2)} ${currency}`}
        </Row>
      )}
      {making.minutes !== null && <Row label="Printing">{figure(making.minutes, 0)} min</Row>}
    </Section>
  );
}
