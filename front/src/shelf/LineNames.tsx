import { type Kind, KINDS } from "../lines/kinds";
import { LineSample } from "../lines/LinePaths";
import { ChoiceRow } from "../ui/Choice";
import { useRules } from "./LineRules";

const NUMBERED: [string, string][] = [
  ["", "say nothing"],
  ["colour white", "1 colour, 2 white"],
  ["colour clear", "1 colour, 2 clear"],
  ["colour white clear", "1 colour, 2 white, 3 clear"],
  ["colour clear white", "1 colour, 2 clear, 3 white"],
  ["white colour", "1 white, 2 colour"],
  ["white colour clear", "1 white, 2 colour, 3 clear"],
];

/** What the shop calls each kind of line in files, both ways. */
export function LineNames() {
  const { names, keepNames, numbered, keepNumbered } = useRules();
  if (!names) return null;
  const put = (kind: Kind, text: string) => {
    const name = text.trim();
    if (name === (names[kind] ?? "")) return;
    const others = Object.entries(names).filter(([other]) => other !== kind);
    keepNames(Object.fromEntries(name ? [...others, [kind, name]] : others));
  };
  return (
    <div role="group" aria-label="Names of lines in files" className="mt-4">
      <p className="mb-1.5 text-slate">
        What the shop calls them in files, both ways: a layer or spot colour of that name comes in as that line, and files for other
        programs carry it.
      </p>
      <div className="grid grid-cols-6 gap-3">
        {KINDS.map(([kind, words]) => (
          <label key={kind} className="text-[12px] text-slate">
            <span className="flex items-center">
              <LineSample kind={kind} />
              {words}
            </span>
            <input
              key={names[kind] ?? ""}
              defaultValue={names[kind] ?? ""}
              placeholder={kind}
              maxLength={60}
              spellCheck={false}
              onBlur={(event) => put(kind, event.target.value)}
              onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
              className="mt-1 block h-9 w-full rounded-[5px] border border-rule bg-white px-2 text-[13px] font-semibold text-ink"
            />
          </label>
        ))}
      </div>
      <div className="mt-3 max-w-[520px]">
        <ChoiceRow
          label="Numbers at the end of file names"
          value={(numbered ?? []).join(" ")}
          choices={NUMBERED}
          why="Files of one name that are dropped together: a number says which plate of the design it is."
          onChange={(chosen) => keepNumbered(chosen.split(" ").filter(Boolean) as NonNullable<typeof numbered>)}
        />
      </div>
    </div>
  );
}
