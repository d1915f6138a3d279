import type { BenchSheet } from "../api/useSheet";
import { Action } from "../ui/Button";
import { Row, Section } from "../ui/Row";
import { figure } from "../ui/units";

type Reading = NonNullable<BenchSheet["reading"]>;

type Props = { reading: Reading; size: number | null; tolerance: number; jogTo: ((mark: string) => void) | null };

/** What printing, film and feed did to the sheet, and how surely that is known. */
export function WhatMoved({ reading, size, tolerance, jogTo }: Props) {
  return (
    <>
      <Deformation reading={reading} size={size} tolerance={tolerance} />
      <Marks reading={reading} jogTo={jogTo} />
    </>
  );
}

function Deformation({ reading: { moved, drift_mm = null }, size, tolerance }: Omit<Props, "jogTo">) {
  const percent = (value: number) => `${value > 0 ? "+" : ""}${figure(value, 2)} %`;
  return (
    <Section title="What moved">
      {size !== null && Math.abs(size - 100) > 0.8 && (
        <p role="alert" className="mb-1 rounded-[6px] border-2 border-check bg-check-wash p-2.5 font-semibold">
          Printed at {figure(size, 1)} % of its planned size. Is that what was ordered? The cut follows the print.
        </p>
      )}
      <Row label={moved.along_percent >= 0 ? "Longer along the feed" : "Shorter along the feed"}>{percent(moved.along_percent)}</Row>
      <Row label={moved.across_percent >= 0 ? "Wider across" : "Narrower across"}>{percent(moved.across_percent)}</Row>
      <Row label="Turned">{figure(moved.turned_deg, 2)}°</Row>
      <Row label="Out of square">{figure(moved.out_of_square_mm, 2)} mm</Row>
      <Row label="Bowed">{figure(moved.bowed_mm, 2)} mm</Row>
      {drift_mm !== null && (
        <Row label="Fed out and back">
          {drift_mm > tolerance ? "" : "✓ "}
          {figure(drift_mm, 2)} mm off
        </Row>
      )}
      {drift_mm !== null && drift_mm > tolerance && (
        <p role="alert" className="mt-1 rounded-[6px] border-2 border-check bg-check-wash p-2.5 font-semibold">
          The feed does not bring it back to where it was: look at the rollers and how the roll runs, then read the marks again.
        </p>
      )}
    </Section>
  );
}

function Marks({ reading, jogTo }: { reading: Reading; jogTo: ((mark: string) => void) | null }) {
  const { marks, fit } = reading;
  const found = marks.filter((mark) => mark.measured);
  const leftOut = new Set(fit.residuals.filter((one) => !one.used).map(({ id }) => id));
  const unsure = marks.filter((mark) => !mark.measured || leftOut.has(mark.id));
  const byHand = marks.filter((mark) => mark.by_hand).length;
  const again = marks.filter((mark) => mark.tries > 1);
  return (
    <Section title="Marks">
      <Row label={{ head: "Read", photo: "Read from photos", hand: "Taken by hand" }[reading.by]}>
        {found.length} of {marks.length}
      </Row>
      {again.length > 0 && <Row label="Looked for farther out">{again.map(({ id }) => id).join(", ")}</Row>}
      {byHand > 0 && <Row label="Pointed at by hand">{byHand}</Row>}
      {jogTo &&
        unsure.map((mark) => (
          <Action key={mark.id} onClick={() => jogTo(mark.id)}>
            Lead the head to mark {mark.id}
          </Action>
        ))}
      <Row label="Left over after the fit">{figure(fit.max_mm, 3)} mm</Row>
      {unsure
        .filter((mark) => !mark.measured && mark.looked_mm)
        .map((mark) => (
          <p key={mark.id} className="mt-1.5 text-[12px] text-slate">
            Mark {mark.id} was not found within {figure(mark.looked_mm ?? 0, 0)} mm of where it should be.
          </p>
        ))}
      {fit.reasons.map((reason) => (
        <p key={reason} className="mt-1.5 text-[12px] text-slate">
          {reason}
        </p>
      ))}
    </Section>
  );
}
