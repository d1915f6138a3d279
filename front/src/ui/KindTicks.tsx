import { type Kind, KIND_WORDS } from "../lines/kinds";

type Props = { label: string; kinds: Kind[]; left: Kind[]; setLeft: (left: Kind[]) => void };

/** Which kinds of line go into a file: those that are ticked; `left` are the others. */
export function KindTicks({ label, kinds, left, setLeft }: Props) {
  if (kinds.length < 2) return null;
  return (
    <div role="group" aria-label={label} className="flex flex-wrap gap-x-4 py-1">
      {kinds.map((kind) => (
        <label key={kind} className="flex min-h-[36px] items-center gap-2">
          <input
            type="checkbox"
            checked={!left.includes(kind)}
            onChange={() => setLeft(left.includes(kind) ? left.filter((one) => one !== kind) : [...left, kind])}
            className="h-4 w-4 accent-(--color-pine)"
          />
          {KIND_WORDS[kind]}
        </label>
      ))}
    </div>
  );
}
