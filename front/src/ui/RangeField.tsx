import { NumberField } from "./Field";
import { useLooksOnly } from "./looksOnly";

type Props = {
  label: string;
  value: number[];
  why: string;
  /** What is said while there is no range; absent: there has to be one. */
  none?: string;
  save: (value: number[]) => void;
};

/** The least and the most of a length; without a most, that and more. */
export function RangeField({ label, value, why, none, save }: Props) {
  const [least, most] = value;
  const looksOnly = useLooksOnly();
  const set = (index: 0 | 1, to: number) => {
    if (index === 0) save(most === undefined ? [to] : [to, Math.max(to, most)]);
    else save([Math.min(least ?? 0, to), to]);
  };
  return (
    <div className="border-b border-rule py-2" role="group" aria-label={label}>
      <div className="mb-1 flex justify-between">
        {label}
        {none && value.length > 0 && !looksOnly && (
          <button type="button" className="text-[12px] font-semibold text-pine hover:underline" onClick={() => save([])}>
            {none[0]?.toUpperCase() + none.slice(1)}
          </button>
        )}
      </div>
      <div className="flex items-center gap-2">
        {([0, 1] as const).map((index) => (
          <label key={index} className="min-w-0 flex-1 text-[12px] text-slate">
            {index ? "at most" : "at least"}
            <NumberField
              label={`${label}, ${index ? "at most" : "at least"}`}
              why={why}
              value={(index ? most : least) ?? null}
              decimals={2}
              least={0}
              onChange={(to) => set(index, to)}
            />
          </label>
        ))}
      </div>
      <p className="mt-1 text-[12px] text-slate">{value.length === 0 && none ? `${why} Now: ${none}.` : why}</p>
    </div>
  );
}
