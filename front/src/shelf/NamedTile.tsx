import { rim } from "../ui/look";

type Props = { name: string; words: string; tone?: string; chosen: boolean; choose: () => void };

/** A thing of the Shelf that has no picture: its name, and a line about it. */
export function NamedTile({ name, words, tone = "text-slate", chosen, choose }: Props) {
  return (
    <button
      type="button"
      aria-pressed={chosen}
      onClick={choose}
      className={`min-h-[64px] rounded-[7px] border bg-paper px-3.5 py-2.5 text-left ${rim(chosen)}`}
    >
      <b className="block truncate font-semibold">{name}</b>
      <span className={`block truncate text-[12px] ${tone}`}>{words}</span>
    </button>
  );
}
