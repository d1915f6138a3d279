import { Choice } from "../../ui/Choice";

/** The eight ways a finished roll unwinds: which side of the label comes off first, facing out or in. */
const WAYS: [string, number, boolean, string][] = [
  ["1", 180, true, "head first, facing out"],
  ["2", 0, true, "foot first, facing out"],
  ["3", 90, true, "right side first, facing out"],
  ["4", 270, true, "left side first, facing out"],
  ["5", 180, false, "head first, facing in"],
  ["6", 0, false, "foot first, facing in"],
  ["7", 270, false, "right side first, facing in"],
  ["8", 90, false, "left side first, facing in"],
];

export function Unwinding({ value, put }: { value: number; put: (value: number) => void }) {
  const chosen = WAYS.find(([name]) => name === String(value));
  return (
    <div className="border-b border-rule py-2">
      <div className="mb-1.5 flex justify-between">
        <span>Unwinds</span>
        <span className="font-semibold">{chosen?.[3]}</span>
      </div>
      <Choice
        label="Unwinds"
        value={String(value)}
        choices={WAYS.map(
          ([name, turn, out, words]) => [name, <Roll key={name} turn={turn} out={out} words={`${name}: ${words}`} />] as const,
        )}
        onChange={(next) => put(Number(next))}
      />
    </div>
  );
}

/** A roll on top from which a label comes down; the side that leads is at the bottom of the picture. */
function Roll({ turn, out, words }: { turn: number; out: boolean; words: string }) {
  return (
    <svg viewBox="0 0 44 52" width={44} height={52} role="img" aria-label={words}>
      <rect x={4} y={2} width={36} height={16} rx={8} className="fill-card stroke-slate" strokeWidth={1} />
      <path d="M8 18 V48 H36 V18" className={out ? "fill-white stroke-slate" : "fill-check-board stroke-slate"} strokeWidth={1} />
      <g transform={`rotate(${turn} 22 33)`}>
        <text
          x={22}
          y={39}
          textAnchor="middle"
          fontSize={17}
          className={out ? "fill-ink font-semibold" : "fill-none stroke-slate"}
          strokeWidth={out ? 0 : 0.8}
          transform={out ? undefined : "matrix(-1 0 0 1 44 0)"}
        >
          R
        </text>
      </g>
    </svg>
  );
}
