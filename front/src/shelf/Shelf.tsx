import { Popover } from "radix-ui";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { useShelf } from "../api/useShelf";
import { Gone } from "../ui/Gone";
import { Readings } from "../ui/Readings";
import { type Entry, type Kind, KINDS } from "./fields";
import { RuleCards, RuleSettings } from "./LineRules";
import { TestCardReading, TestCardTiles } from "./TestCards";
import { ThingSettings } from "./ThingSettings";
import { ThingTile } from "./ThingTile";

/** What is chosen: a thing by its kind and number, or a line rule or test card by its place. */
type Chosen = { of: Kind | "rule" | "card"; id: number };
const lastOf = (rows: { id: number }[]) => rows[rows.length - 1]?.id ?? 0;

export default function Shelf() {
  const { shelf, error, addColour, addMarks } = useShelf();
  const [chosen, choose] = useState<Chosen | null>(null);
  if (error) return <Gone error={error} />;
  if (!shelf) return <main className="flex-1" />;
  const newColour = () => {
    const names = new Set(shelf.ink_colour.map((row) => row.name));
    let number = names.size + 1;
    while (names.has(`Shop colour ${number}`)) number += 1;
    const opened = (fresh: Schemas["ShelfShown"]) => choose({ of: "ink_colour", id: lastOf(fresh.ink_colour) });
    addColour.mutate(`Shop colour ${number}`, { onSuccess: opened });
  };
  const newMarks = (preset: string) =>
    addMarks.mutate(preset, { onSuccess: (fresh) => choose({ of: "mark_set", id: lastOf(fresh.mark_set) }) });
  const { kind, entry } = thingOf(shelf, chosen);
  const numberOf = (of: "rule" | "card") => (chosen?.of === of ? chosen.id : null);
  return (
    <>
      <main className="min-w-0 flex-1 overflow-y-auto p-6 pt-5" aria-label="Shelf">
        {KINDS.map((one) => (
          <section key={one.kind} className="mb-6">
            <h2 className="mb-2.5 flex items-center gap-4">
              {one.title}
              {one.kind === "mark_set" && <NewMarks presets={shelf.mark_presets} add={newMarks} />}
              {one.kind === "ink_colour" && (
                <button type="button" className="text-[13px] font-semibold text-pine hover:underline" onClick={newColour}>
                  Add a colour
                </button>
              )}
            </h2>
            {shelf[one.kind].length === 0 && (
              <p className="text-slate">None yet. Named colours of customers' art can be printed as a colour of the shop's own.</p>
            )}
            <div className="grid grid-cols-4 gap-3">
              {shelf[one.kind].map((row) => (
                <ThingTile
                  key={row.id}
                  kind={one.kind}
                  row={row}
                  chosen={kind === one.kind && entry?.id === row.id}
                  choose={() => choose({ of: one.kind, id: row.id })}
                />
              ))}
            </div>
          </section>
        ))}
        <TestCardTiles chosen={numberOf("card")} choose={(id) => choose({ of: "card", id })} />
        <RuleCards chosen={numberOf("rule")} choose={(id) => choose({ of: "rule", id })} />
      </main>
      <Readings label="Readings">
        <Chosen chosen={chosen} shelf={shelf} choose={choose} />
      </Readings>
    </>
  );
}

/** The thing that is chosen; the first stock to begin with. */
function thingOf(shelf: Schemas["ShelfShown"], chosen: Chosen | null): { kind: Kind | null; entry: Entry | undefined } {
  if (chosen?.of === "rule" || chosen?.of === "card") return { kind: null, entry: undefined };
  const kind = chosen?.of ?? "stock";
  const rows: Entry[] = shelf[kind];
  return { kind, entry: rows.find((row) => row.id === chosen?.id) ?? rows[0] };
}

type ChosenProps = { chosen: Chosen | null; shelf: Schemas["ShelfShown"]; choose: (chosen: Chosen | null) => void };

function Chosen({ chosen, shelf, choose }: ChosenProps) {
  if (chosen?.of === "card") return <TestCardReading index={chosen.id} shelf={shelf} />;
  if (chosen?.of === "rule") {
    return <RuleSettings index={chosen.id} choose={(id) => choose(id === null ? null : { of: "rule", id })} />;
  }
  const { kind, entry } = thingOf(shelf, chosen);
  const open = KINDS.find((one) => one.kind === kind);
  if (!open || !entry) return <p>Choose something on the Shelf.</p>;
  return <ThingSettings key={`${open.kind}${entry.id}`} kind={open.kind} fields={open.fields} entry={entry} />;
}

function NewMarks({ presets, add }: { presets: string[]; add: (preset: string) => void }) {
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="text-[13px] font-semibold text-pine hover:underline">Add a mark set</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          aria-label="Mark sets to begin with"
          className="w-[260px] rounded-[8px] border border-rule bg-paper p-2 shadow-xl"
        >
          {presets.map((preset) => (
            <button
              key={preset}
              type="button"
              className="block min-h-9 w-full rounded-[5px] px-2.5 text-left hover:bg-pine-wash"
              onClick={() => {
                setOpen(false);
                add(preset);
              }}
            >
              {preset}
            </button>
          ))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
