import type { useDesign } from "../../api/useDesign";
import { Key } from "../../ui/Button";
import { Note } from "../../ui/Card";
import { NumberRow } from "../../ui/Field";
import { Big } from "../../ui/Readings";
import { Section } from "../../ui/Row";
import { figure, length, useUnit } from "../../ui/units";
import type { Folds } from "./folding";

type Props = {
  folds: Folds;
  share: number;
  setShare: (share: number) => void;
  change: ReturnType<typeof useDesign>["change"];
};

/** How far it is folded, every crease with its angle, and what was found. */
export function FoldReadings({ folds, share, setShare, change }: Props) {
  const unit = useUnit((state) => state.unit);
  if (folds.trouble) return <p>{folds.trouble}</p>;
  const fold = (index: number, degrees: number) => {
    const folded = folds.hinges
      .map(({ start, end, degrees: now }, number) => ({
        x_mm: Number(((start[0] + end[0]) / 2).toFixed(2)),
        y_mm: Number(((start[1] + end[1]) / 2).toFixed(2)),
        degrees: number === index ? degrees : now,
      }))
      .filter((one) => one.degrees !== 90);
    change(`crease ${index + 1} folded`, { folds: folded });
  };
  const worst = folds.findings.filter((one) => one.tone !== "note");
  const notes = folds.findings.length - worst.length;
  return (
    <>
      <div className="flex justify-between">
        <Big label="panels" value={String(folds.panels.length)} />
        <Big label="folded" value={figure(share * 100, 0)} unit="%" end />
      </div>
      <label className="mt-3 block">
        <span className="flex justify-between">
          Folded <Key>F</Key>
        </span>
        <input
          type="range"
          aria-label="Folded"
          min={0}
          max={100}
          value={Math.round(share * 100)}
          onChange={(event) => setShare(Number(event.target.value) / 100)}
          className="h-9 w-full accent-pine"
        />
      </label>
      {worst.length === 0 && <p className="py-1.5 text-go">✓ Folded up, no panel goes through another.</p>}
      {worst.map((one) => (
        <Note key={`${one.words} ${one.x} ${one.y}`} tone={one.tone === "stop" ? "stop" : "check"}>
          {one.words} At {length(one.x, unit)} from the left, {length(one.y, unit)} from the foot.
        </Note>
      ))}
      {notes > 0 && <p className="py-1.5 text-[12px] text-slate">Ink lies on {notes} creases: ink that cannot bend cracks there.</p>}
      <Section title="Creases">
        {folds.hinges.map((hinge, index) => (
          <NumberRow
            key={`${hinge.start.join()} ${hinge.end.join()}`}
            label={`Between panels ${hinge.first + 1} and ${hinge.second + 1}`}
            kind="plain"
            suffix="°"
            decimals={0}
            step={5}
            least={-180}
            most={180}
            value={hinge.degrees}
            why="Away from the printed side; less than 0 folds towards it."
            onChange={(degrees) => fold(index, degrees)}
          />
        ))}
      </Section>
    </>
  );
}
