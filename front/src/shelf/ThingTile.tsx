import { figure, length, metres, useUnit } from "../ui/units";
import { type Entry, isKnife, type Kind, valueOf } from "./fields";
import { ThingPicture } from "./ThingPicture";
import { rim } from "../ui/look";

type Props = { kind: Kind; row: Entry; chosen: boolean; choose: () => void };

/** One thing of the Shelf: its picture, its name, and what tells it from others. */
export function ThingTile({ kind, row, chosen, choose }: Props) {
  const unit = useUnit((state) => state.unit);
  const words = isKnife(row) ? () => "cuts what its printer prints" : WORDS[kind];
  return (
    <button
      type="button"
      aria-pressed={chosen}
      onClick={choose}
      className={`flex h-[84px] items-center gap-3 rounded-[7px] border bg-paper px-3 text-left ${rim(chosen)}`}
    >
      <ThingPicture kind={kind} row={row} />
      <span className="min-w-0">
        <span className="block leading-4 font-semibold">{row.name}</span>
        <span className="mt-1 block text-[12px] text-slate">{words(reader(row, unit))}</span>
      </span>
    </button>
  );
}

type Reader = ReturnType<typeof reader>;

/** Values of a row, written as they are shown. */
const reader = (row: Entry, unit: "mm" | "in") => ({
  text: (name: string) => String(valueOf(row, name)),
  number: (name: string, decimals = 0) => figure(Number(valueOf(row, name)), decimals),
  size: (name: string, decimals = 0) => `${length(Number(valueOf(row, name)), unit, decimals)} ${unit}`,
  count: (name: string) => {
    const value = valueOf(row, name);
    return Array.isArray(value) ? value.length : 0;
  },
  range: (name: string) => {
    const value = valueOf(row, name);
    const [least = 0, most] = Array.isArray(value) ? value.map(Number) : [];
    const said = length(least, unit, 1);
    return most === undefined
      ? `${said} ${unit} and more`
      : most === least
        ? `${said} ${unit}`
        : `${said} to ${length(most, unit, 1)} ${unit}`;
  },
  metres: (name: string) => metres(Number(valueOf(row, name))),
});

const WORDS: Record<Kind, (row: Reader) => string> = {
  stock: ({ size, number, text }) => `${size("width_mm")} wide · ${number("price_m2", 2)} ${text("currency")} a m²`,
  roll: (row) => `${row.metres("remaining_mm")} of ${row.metres("length_mm")} left`,
  printer: ({ size }) => `prints ${size("print_width_mm")} across`,
  print_mode: ({ number }) => `${number("dpi")} dots, ${number("passes")} passes, ${number("m2_per_hour")} m² an hour`,
  laminator: ({ size }) => `film of ${size("film_width_mm")}`,
  cutter: ({ size }) => `reads ${size("reach_across_mm")} × ${size("reach_along_mm")}`,
  tool_card: ({ text, number }) => {
    const passes = Number(text("passes")) > 1 ? ` · ${text("passes")} passes` : "";
    return `${text("tool")} · ${number("force_gf")} gf${passes}`;
  },
  mark_set: ({ text, size }) => {
    const count = text("count") === "more" ? "" : `${text("count")} × `;
    return `${count}${text("shape")} of ${size("size_mm", 1)}, ${size("clear_mm", 1)} kept clear`;
  },
  finisher: ({ range, text, size }) =>
    `mark ${range("width_mm")} × ${range("height_mm")}` +
    (Number(text("longest_repeat_mm")) > 0 ? ` · repeats up to ${size("longest_repeat_mm")}` : ""),
  die: ({ text, size }) => `${text("columns")} × ${text("rows")} of ${size("label_width_mm", 1)} × ${size("label_height_mm", 1)}`,
  holder: ({ size, count }) => `${count("places")} blanks on ${size("width_mm")} × ${size("length_mm")}`,
  colour_profile: ({ text, number }) =>
    text("ink_limit") ? `${text("space")}, ${number("ink_limit")} % ink at most` : text("space") === "GRAY" ? "grey" : text("space"),
  special_ink: ({ text }) => `${text("goes") === "behind" ? "behind" : "before"} the colours · a plate of its own`,
  ink_colour: ({ number }) => `${["cyan", "magenta", "yellow", "black"].map((ink) => number(ink)).join(" · ")} %`,
};
