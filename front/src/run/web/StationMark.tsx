import type { ChangeWeb, Web } from "../../api/useWeb";
import { ChoiceRow } from "../../ui/Choice";
import { NumberRow } from "../../ui/Field";

type Station = NonNullable<Web["document"]["station"]>;

/** A bar of 8 × 3 mm, 4 mm from the edge, with as much free on each side as its sensor may wander: to be typed over. */
const FIRST_STATION: Station = { side: "left", edge_mm: 4, width_mm: 8, height_mm: 3, first_mm: 0, lane_mm: 3 };
const LENGTHS: [Exclude<keyof Station, "side">, string, string, number][] = [
  ["edge_mm", "From the edge", "From the edge of the stock to the mark.", 0],
  ["width_mm", "Across", "How wide the mark is.", 1],
  ["height_mm", "Along", "How long it is along the feed: what its sensor sees for a moment.", 1],
  ["first_mm", "Behind the repeat's start", "From where a repeat begins to its mark.", 0],
  ["lane_mm", "Free on each side", "The sensor looks at one lane of the stock: nothing else is printed there.", 0],
];

/** Marks beside every repeat, by which a rotary station keeps its cylinder on the print. */
export function StationMark({ held, change }: { held: Web["document"]["station"]; change: ChangeWeb }) {
  const put = (changes: Partial<Station>) => held && change("mark of the rotary station", { station: { ...held, ...changes } });
  return (
    <>
      <ChoiceRow
        label="Rotary station"
        value={held?.side ?? "none"}
        choices={[
          ["none", "no mark"],
          ["left", "a mark on the left"],
          ["right", "a mark on the right"],
          ["both", "one on each side"],
        ]}
        why="Beside every repeat, in a lane of its own, so that a cylinder is kept on the print. It is printed and not cut by."
        onChange={(side) =>
          change("rotary station", { station: side === "none" ? null : { ...(held ?? FIRST_STATION), side: side as Station["side"] } })
        }
      />
      {held &&
        LENGTHS.map(([name, label, why, least]) => (
          <NumberRow
            key={name}
            label={label}
            value={held[name]}
            decimals={2}
            least={least}
            why={why}
            onChange={(next) => put({ [name]: next })}
          />
        ))}
    </>
  );
}
