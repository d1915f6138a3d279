import type { Schemas } from "../api/client";

type Line = Pick<Schemas["LineShown"], "kind" | "d">;

/** Finish lines in the line code: colour and stroke together, on a white casing. `scale` is pixels a millimetre. */
const CODE: Record<string, { colour: string; dash?: number[]; width: number; cap?: "round" }> = {
  kiss: { colour: "var(--color-kiss)", width: 1.8 },
  through: { colour: "var(--color-through)", width: 3.4 },
  perforation: { colour: "#9A6B00", width: 1.8, dash: [10, 5] },
  crease: { colour: "#6D3BBF", width: 2.6, dash: [0.1, 5], cap: "round" },
  score: { colour: "#334155", width: 1.8, dash: [9, 4, 1.5, 4] },
  pen: { colour: "#1F2937", width: 1 },
};

export function LinePaths({ lines, scale, faded }: { lines: Line[]; scale: number; faded?: boolean }) {
  const px = (value: number) => value / scale;
  return (
    <g fill="none" strokeLinejoin="round" opacity={faded ? 0.4 : 1}>
      {lines.map((line, index) => (
        <path key={index} d={line.d} stroke="#fff" strokeWidth={px(5)} opacity={0.85} />
      ))}
      {lines.map((line, index) => {
        const code = CODE[line.kind] ?? CODE.kiss;
        if (!code) return null;
        return (
          <g key={index} data-testid="finish-line">
            <path d={line.d} stroke={code.colour} strokeWidth={px(code.width)} strokeDasharray={code.dash?.map(px).join(" ")} strokeLinecap={code.cap} />
            {line.kind === "through" && <path d={line.d} stroke="#fff" strokeWidth={px(1.4)} />}
          </g>
        );
      })}
    </g>
  );
}

export function LineSample({ kind }: { kind: string }) {
  return (
    <svg width="44" height="8" aria-hidden="true" className="mr-2.5 inline-block">
      <LinePaths lines={[{ kind, d: "M0,4L44,4" }]} scale={1} />
    </svg>
  );
}
