import { useQuery } from "@tanstack/react-query";
import { designsQuery } from "../api/keys";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import type { PlatesProps } from "./Marked";

/** A design that is seen from both sides of clear stock: what is on the other side, and what lies between. */
export function BothSides({ design, change }: Pick<PlatesProps, "design" | "change">) {
  const { data: designs } = useQuery(designsQuery);
  const { document } = design;
  const sides = document.both_sides;
  const others = (designs ?? []).filter(({ id, job_id }) => job_id === design.job_id && id !== design.id);
  const gone = sides !== null && sides.other !== null && !others.some(({ id }) => id === sides.other);
  const value = sides === null ? "no" : sides.other === null ? "same" : String(sides.other);
  const choices: [string, string][] = [
    ["no", "no"],
    ["same", "the same art"],
  ];
  for (const { id, name } of others) choices.push([String(id), name]);
  if (gone) choices.push([value, "a design that is gone"]);
  return (
    <>
      <ChoiceRow
        label="Seen from both sides"
        value={value}
        choices={choices}
        why="Colour, white, blocker, white, colour: a window decal that is read from both sides. Each is mirrored as it has to be."
        onChange={(chosen) => {
          if (chosen === "no") return change("seen from one side", { both_sides: null });
          const other = chosen === "same" ? null : Number(chosen);
          // without white each side would show through the other
          const white = document.white === "none" && !design.white ? { white: "line" as const } : {};
          change("seen from both sides", { both_sides: { blocker: true, blocker_choke_mm: 0.2, ...sides, other }, ...white });
        }}
      />
      {sides && (
        <ChoiceRow
          label="Blocker between the whites"
          value={sides.blocker ? "yes" : "no"}
          choices={[
            ["yes", "yes"],
            ["no", "no"],
          ]}
          why="A dark layer that no light comes through, so that one side is not seen from the other against the sun."
          onChange={(chosen) => change("blocker", { both_sides: { ...sides, blocker: chosen === "yes" } })}
        />
      )}
      {sides?.blocker && (
        <NumberRow
          label="Blocker stands back by"
          value={sides.blocker_choke_mm}
          decimals={2}
          step={0.05}
          least={0}
          why="How far it ends inside the white, so that no dark rim is seen."
          onChange={(blocker_choke_mm) => change("choke of the blocker", { both_sides: { ...sides, blocker_choke_mm } })}
        />
      )}
    </>
  );
}
