import type { ReactNode } from "react";
import type { Station } from "./pages";

const MARK = "fill-ink";
const LINE = "fill-none stroke-ink";

/** A drawing of what is done at a station, small enough to be taken in at a glance. */
const PICTURES: Record<Station, ReactNode> = {
  floor: (
    <>
      {[0, 1, 2].map((at) => (
        <g key={at} transform={`translate(${14 + at * 92} 14)`}>
          <rect width="82" height="44" rx="4" className="fill-paper stroke-rule" />
          <circle cx="20" cy="22" r="11" className={at === 0 ? "fill-check" : "fill-kraft/60"} />
          <path d="M40 17h34M40 27h22" className={LINE} strokeWidth="2" />
        </g>
      ))}
      {[0, 1, 2, 3].map((at) => (
        <g key={at} transform={`translate(${14 + at * 69} 72)`}>
          <rect width="60" height="44" rx="4" className="fill-paper stroke-rule" />
          <path d="M8 36h44" className="fill-none stroke-rule" strokeWidth="3" />
          <path d={`M8 36h${38 - at * 10}`} className="fill-none stroke-pine" strokeWidth="3" />
        </g>
      ))}
    </>
  ),
  lines: (
    <>
      <rect x="84" y="10" width="120" height="110" rx="3" className="fill-paper stroke-rule" />
      <path d="M144 34c24-12 42 10 30 30 8 22-14 40-30 28-18 12-38-6-30-28-12-20 8-42 30-30z" className="fill-kraft/60" />
      <path
        d="M144 26c30-14 52 12 38 38 10 26-16 48-38 34-22 14-48-8-38-34-14-26 8-52 38-38z"
        className="fill-none stroke-pine"
        strokeWidth="2.5"
      />
    </>
  ),
  run: (
    <>
      <rect x="10" y="30" width="228" height="72" className="fill-paper stroke-rule" />
      <circle cx="258" cy="66" r="30" className="fill-paper stroke-rule" />
      <circle cx="258" cy="66" r="9" className="fill-none stroke-kraft" strokeWidth="6" />
      {[22, 226].flatMap((x) => [38, 94].map((y) => <circle key={`${x} ${y}`} cx={x} cy={y} r="3.5" className={MARK} />))}
      {[0, 1, 2, 3, 4].flatMap((x) =>
        [0, 1].map((y) => <circle key={`${x} ${y}`} cx={52 + x * 36} cy={52 + y * 28} r="11" className="fill-kraft/60 stroke-pine" />),
      )}
    </>
  ),
  print: (
    <>
      <rect x="60" y="16" width="168" height="40" rx="6" className="fill-paper stroke-slate" />
      <path d="M84 56h120l10 62H74z" className="fill-paper stroke-rule" />
      {[0, 1, 2, 3].map((at) => (
        <circle key={at} cx={104 + at * 27} cy="88" r="10" className="fill-kraft/60" />
      ))}
      <path d="M84 36h60" className="fill-none stroke-pine" strokeWidth="5" />
    </>
  ),
  bench: (
    <>
      <rect x="50" y="18" width="188" height="98" className="fill-paper stroke-rule" />
      {[62, 226].flatMap((x) => [30, 104].map((y) => <circle key={`${x} ${y}`} cx={x} cy={y} r="5" className={MARK} />))}
      <rect x="82" y="42" width="124" height="52" className="fill-kraft/30" />
      <path d="M98 68a20 20 0 1 1 40 0 20 20 0 1 1-40 0M150 68a20 20 0 1 1 40 0" className="fill-none stroke-pine" strokeWidth="2.5" />
      <path d="M190 68v-46h-8v40z" className="fill-ink" />
    </>
  ),
  shelf: (
    <>
      {[48, 112].map((y) => (
        <path key={y} d={`M20 ${y}h248`} className="fill-none stroke-slate" strokeWidth="3" />
      ))}
      {[44, 88, 132].map((x) => (
        <g key={x}>
          <circle cx={x} cy="30" r="16" className="fill-paper stroke-rule" />
          <circle cx={x} cy="30" r="5" className="fill-none stroke-kraft" strokeWidth="4" />
        </g>
      ))}
      <rect x="168" y="18" width="84" height="28" rx="4" className="fill-paper stroke-slate" />
      {[40, 76, 112].map((x) => (
        <path key={x} d={`M${x} 66h10v30l-5 14-5-14z`} className="fill-paper stroke-slate" />
      ))}
      <circle cx="170" cy="92" r="9" className={MARK} />
      <path d="M200 84h24v24" className="fill-none stroke-ink" strokeWidth="5" />
    </>
  ),
};

export function Picture({ station }: { station: Station }) {
  return (
    <svg viewBox="0 0 288 130" aria-hidden="true" className="mt-2 aspect-[288/130] w-full shrink-0 rounded-[6px] bg-felt">
      {PICTURES[station]}
    </svg>
  );
}
