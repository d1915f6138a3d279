import type { BenchSheet, End } from "../api/useSheet";
import { Section } from "../ui/Row";
import { length, useUnit } from "../ui/units";
import type { Turn } from "./Moved";

type Roller = BenchSheet["rollers"]["head"][number];
const rollersOf = (bench: BenchSheet, end: End): Roller[] => bench.rollers[end] ?? [];

/** The strips of the sheet that rollers press on; amber where one runs over what it should not. */
export function RollerStrips({ bench, end, place }: { bench: BenchSheet; end: End; place: Turn }) {
  return rollersOf(bench, end).map(({ at_mm, strip, over }) => {
    const [from, to] = strip.map((x) => place(x, 0)[1]);
    const [low, high] = [Math.min(from ?? 0, to ?? 0), Math.max(from ?? 0, to ?? 0)];
    return (
      <rect
        key={at_mm}
        data-roller={at_mm}
        y={low}
        width={bench.sheet.length_mm}
        height={high - low}
        fill={over.length ? "var(--color-check)" : "var(--color-slate)"}
        opacity={over.length ? 0.3 : 0.16}
        pointerEvents="none"
      />
    );
  });
}

/** Which rollers have to be moved before anything is fed, and where to. */
export function RollersToMove({ bench, end }: { bench: BenchSheet; end: End }) {
  const unit = useUnit((state) => state.unit);
  const at = (mm: number) => `${length(mm, unit, 0)} ${unit}`;
  const rollers = rollersOf(bench, end);
  if (rollers.length === 0 || bench.sheet.state === "cut") return null;
  const wrong = rollers.filter(({ over }) => over.length > 0);
  return (
    <Section title="Rollers">
      {wrong.length === 0 && <p className="text-go">✓ None runs over a mark, a code or an edge.</p>}
      {bench.tools.some(({ kind, tie_mm }) => kind === "through" && tie_mm === 0) && (
        <p className="py-1 text-slate">Through cuts under a roller keep small ties, so that nothing lifts there.</p>
      )}
      <ul>
        {wrong.map(({ at_mm, over, better_mm }) => (
          <li key={at_mm} className="border-b border-rule py-1.5">
            <b className="font-semibold text-check-text">The roller at {at(at_mm)}</b> runs over {named(over)}.{" "}
            {better_mm === null ? "Lift it: there is no free place for it." : `Put it at ${at(better_mm)}.`}
          </li>
        ))}
      </ul>
    </Section>
  );
}

const MOST = 3;
const named = (over: string[]) =>
  over.length > MOST ? `${over.slice(0, MOST).join(", ")} and ${over.length - MOST} more` : over.join(over.length === 2 ? " and " : ", ");
