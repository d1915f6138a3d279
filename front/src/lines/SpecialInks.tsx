import { useQuery } from "@tanstack/react-query";
import { shelfQuery } from "../api/keys";
import type { Schemas } from "../api/client";
import { ChoiceRow, SeveralRow } from "../ui/Choice";
import { NumberRow } from "../ui/Field";
import { AreaRows, wholeOf } from "./AreaRows";
import { FromPicture, MarkedRow, type PlatesProps } from "./Marked";

type Special = Schemas["DesignShown"]["document"]["specials"][number];

/** Inks of the shop beside white and clear: which the design has, where each goes, what of the art means it. */
export function SpecialInks({ design, change, take, taking }: Pick<PlatesProps, "design" | "change" | "take" | "taking">) {
  const { data: shelf } = useQuery(shelfQuery);
  const { document } = design;
  const held = document.specials;
  const offered = (shelf?.special_ink ?? []).filter(({ id, away }) => !away || held.some(({ ink }) => ink === id));
  if (!offered.length) return null;
  const names = new Map(offered.map(({ id, name }) => [id, name]));
  return (
    <>
      <SeveralRow
        label="Special inks"
        none="none"
        value={held.map(({ ink }) => String(ink))}
        choices={offered.map(({ id, name }) => [String(id), name])}
        why="Inks of the shop that are on the Shelf. Each has a plate of its own, called by its name."
        onChange={(chosen) => {
          const wanted = chosen.map(Number);
          const fresh = wanted.filter((id) => !held.some(({ ink }) => ink === id));
          const specials = [...held.filter(({ ink }) => wanted.includes(ink)), ...fresh.map((ink) => ({ ink, ...BEGINS }))];
          change("special inks", { specials });
        }}
      />
      {held.map((one) => (
        <OneInk
          key={one.ink}
          one={one}
          name={names.get(one.ink) ?? "Special ink"}
          design={design}
          change={change}
          take={take}
          taking={taking}
          put={(changes) =>
            change(`where ${names.get(one.ink) ?? "an ink"} goes`, {
              specials: held.map((other) => (other.ink === one.ink ? { ...other, ...changes } : other)),
            })
          }
        />
      ))}
    </>
  );
}

const BEGINS = { extent: "art" as const, choke_mm: 0, area: null };

type OneProps = Pick<PlatesProps, "design" | "change" | "take" | "taking"> & {
  one: Special;
  name: string;
  put: (changes: Partial<Special>) => void;
};

function OneInk({ one, name, design, change, take, taking, put }: OneProps) {
  const plate = `special ${one.ink}`;
  return (
    <div role="group" aria-label={name}>
      <ChoiceRow
        label={name}
        value={one.extent}
        choices={[
          ["none", "only what the art marks"],
          ["art", "where the art prints"],
          ["line", "all inside the line"],
          ["area", "in a rectangle"],
        ]}
        why="Where this ink lies. Layers and colours of the art can mean it too."
        onChange={(extent) => put({ extent, area: extent === "area" ? (one.area ?? wholeOf(design)) : one.area })}
      />
      {one.extent === "area" && one.area && <AreaRows of={name} area={one.area} put={(area) => put({ area })} />}
      {one.extent !== "none" && (
        <NumberRow
          label={`${name} stands back by`}
          value={one.choke_mm}
          decimals={2}
          step={0.05}
          why="How far it ends inside. A minus spreads it."
          onChange={(choke_mm) => put({ choke_mm })}
        />
      )}
      <MarkedRow plate={plate} name={name} caught={design.summary?.caught} marked={design.document.marked} change={change} />
      {design.form === "picture" && (
        <FromPicture plate={plate} name={name} document={design.document} change={change} take={take} taking={taking} />
      )}
    </div>
  );
}
