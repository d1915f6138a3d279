import { ColoursFile } from "./ColoursFile";
import { Popover } from "radix-ui";
import { useState } from "react";
import { useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { useShelf } from "../api/useShelf";
import { Button, buttonLook, StepButtons, Way } from "../ui/Button";
import { Gone } from "../ui/Gone";
import { useKeys } from "../ui/keys";
import { Readings } from "../ui/Readings";
import { type Entry, type Kind, KINDS } from "./fields";
import { FolderSettings, FolderTiles } from "./DropFolders";
import { ShelfFileIn } from "./ShelfFile";
import { RuleCards, RuleSettings } from "./LineRules";
import { TestCardReading, TestCardTiles } from "./TestCards";
import { FinishedSettings, FinishedTile } from "./FinishedWork";
import { ClockSettings, ClockTile } from "./ShopClock";
import { CopiesSettings, CopiesTile } from "./ShopCopies";
import { PriceSettings, PriceTiles } from "./Prices";
import { ProfileIn } from "./Profiles";
import { RecipeSettings, RecipeTiles } from "./Recipes";
import { ThingSettings } from "./ThingSettings";
import { ThingTile } from "./ThingTile";

/** What is chosen: a thing by its kind and number, a line rule or test card by its place, or a file to take in. */
type Chosen = { of: Kind | "rule" | "card" | "file" | "recipe" | "folder" | "prices" | "finished" | "copies" | "clock"; id: number };

export default function Shelf() {
  const { shelf, error, add, undo, redo, step } = useShelf();
  useKeys({ "ctrl+z": () => step.mutate("undo"), "ctrl+shift+z": () => step.mutate("redo") });
  const [chosen, choose] = useChosen();
  const [filter, setFilter] = useState("");
  const [withAway, setWithAway] = useState(false);
  if (error) return <Gone error={error} />;
  if (!shelf) return <main className="flex-1" />;
  /** What is new is opened at once, to be set as the shop's is. */
  const put = (kind: Kind, asked: Schemas["AddAsked"] = {}) =>
    add.mutate({ kind, ...asked }, { onSuccess: ({ id }) => choose({ of: kind, id }) });
  const { kind, entry } = thingOf(shelf, chosen);
  const numberOf = (of: "rule" | "card" | "recipe" | "folder") => (chosen?.of === of ? chosen.id : null);
  const count = KINDS.reduce((sum, one) => sum + shelf[one.kind].length, 0);
  const isAway = KINDS.some((one) => shelf[one.kind].some((row) => row.away));
  return (
    <>
      <main className="min-w-0 flex-1 overflow-y-auto p-6 pt-5" aria-label="Shelf">
        <h1 className="sr-only">Shelf</h1>
        <div className="mb-4 flex flex-wrap items-center gap-x-4 gap-y-2">
          {count > 0 && (
            <input
              type="search"
              aria-label="Find on the Shelf"
              placeholder="Find on the Shelf"
              value={filter}
              onChange={(event) => setFilter(event.target.value)}
              className="h-9 w-[260px] rounded-[6px] border border-rule bg-white px-3"
            />
          )}
          <div className="ml-auto flex flex-wrap gap-2">
            <StepButtons undo={undo} redo={redo} step={(way) => step.mutate(way)} />
            {count > 0 && (
              <a href="/api/shelf/file" download className={`${buttonLook} h-9 px-2.5`}>
                Save the Shelf
              </a>
            )}
            <Button
              narrow
              aria-pressed={chosen?.of === "file"}
              onClick={() => choose(chosen?.of === "file" ? null : { of: "file", id: 0 })}
            >
              Take in a file
            </Button>
          </div>
          {isAway && (
            <Button looks narrow aria-pressed={withAway} onClick={() => setWithAway(!withAway)}>
              Show what is put away
            </Button>
          )}
        </div>
        {count === 0 && <EmptyShelf />}
        {KINDS.flatMap((one) => groups(one, shelf, withAway)).map(({ one, title, rows }) => (
          <ThingSection
            key={title}
            kind={one}
            title={title}
            rows={shown(rows, filter, withAway)}
            presets={shelf.mark_presets}
            chosen={kind === one.kind ? (entry?.id ?? null) : null}
            choose={(id) => choose({ of: one.kind, id })}
            put={(asked) => put(one.kind, asked)}
            hidden={filter !== ""}
          />
        ))}
        <PriceTiles chosen={chosen?.of === "prices"} choose={() => choose({ of: "prices", id: 0 })} />
        <FinishedTile chosen={chosen?.of === "finished"} choose={() => choose({ of: "finished", id: 0 })} />
        <CopiesTile chosen={chosen?.of === "copies"} choose={() => choose({ of: "copies", id: 0 })} />
        <ClockTile chosen={chosen?.of === "clock"} choose={() => choose({ of: "clock", id: 0 })} />
        <RecipeTiles chosen={numberOf("recipe")} choose={(id) => choose({ of: "recipe", id })} />
        <FolderTiles chosen={numberOf("folder")} choose={(id) => choose({ of: "folder", id })} />
        <TestCardTiles shelf={shelf} chosen={numberOf("card")} choose={(id) => choose({ of: "card", id })} />
        <RuleCards chosen={numberOf("rule")} choose={(id) => choose({ of: "rule", id })} />
      </main>
      <Readings label="Readings">
        <Chosen chosen={chosen} shelf={shelf} choose={choose} />
      </Readings>
    </>
  );
}

/** Rows whose name has every word that is looked for; what is put away only when it is asked for. */
function shown(rows: Entry[], filter: string, withAway: boolean): Entry[] {
  const words = filter.toLowerCase().split(/\s+/).filter(Boolean);
  return rows.filter((row) => (withAway || !row.away) && words.every((word) => row.name.toLowerCase().includes(word)));
}

function EmptyShelf() {
  return (
    <div className="mb-6 rounded-[8px] bg-paper p-5">
      <h2>The Shelf is empty</h2>
      <p className="mt-1.5 max-w-[560px] text-[15px] leading-6">
        Put your printer, cutter and first stock on it, in any order: each begins with usual values, which you set as yours are. A roll and
        a print mode need a stock; a run needs a roll, and a cutter with a mark set unless it is only printed.{" "}
        <Way to="/set-up">Set up the shop</Way> does the same on one page.
      </p>
    </div>
  );
}

/** The things of a kind; tool cards by the machine that they belong to, where there are several. */
function groups(one: (typeof KINDS)[number], shelf: Schemas["ShelfShown"], withAway: boolean) {
  const machines = shelf.cutter.filter(({ away }) => withAway || !away);
  if (one.kind !== "tool_card" || machines.length < 2) return [{ one, title: one.title, rows: shelf[one.kind] }];
  return machines.map(({ id, name }) => ({
    one,
    title: `Tool cards of ${name}`,
    rows: shelf.tool_card.filter((card) => card.cutter_id === id),
  }));
}

type SectionProps = {
  kind: (typeof KINDS)[number];
  title: string;
  rows: Entry[];
  presets: string[];
  chosen: number | null;
  choose: (id: number) => void;
  put: (asked?: Schemas["AddAsked"]) => void;
  /** While something is looked for, kinds that have none of it are left out. */
  hidden: boolean;
};

function ThingSection({ kind, title, rows, presets, chosen, choose, put, hidden }: SectionProps) {
  if (hidden && rows.length === 0) return null;
  return (
    <section className="mb-6" aria-label={title}>
      <h2 className="mb-2.5 flex items-center gap-4">
        {title}
        {kind.kind === "mark_set" ? (
          <NewMarks presets={presets} add={(preset) => put({ preset })} />
        ) : kind.kind === "colour_profile" ? (
          <ProfileIn words="Take in an ICC file" taken={choose} />
        ) : (
          kind.one && (
            <button type="button" className="text-[13px] font-semibold text-pine hover:underline" onClick={() => put()}>
              Add {kind.one}
            </button>
          )
        )}
        {kind.kind === "ink_colour" && <ColoursFile />}
      </h2>
      {rows.length === 0 && <p className="text-slate">{kind.none}</p>}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(200px,1fr))] gap-3">
        {rows.map((row) => (
          <ThingTile key={row.id} kind={kind.kind} row={row} chosen={chosen === row.id} choose={() => choose(row.id)} />
        ))}
      </div>
    </section>
  );
}

/** What is chosen: at first, and whenever the address names one, what it names (?stock=3), as what is found does. */
function useChosen(): [Chosen | null, (chosen: Chosen | null) => void] {
  const [params] = useSearchParams();
  const [chosen, choose] = useState<Chosen | null>(null);
  const [named, setNamed] = useState("");
  if (params.toString() !== named) {
    setNamed(params.toString());
    const of =
      (["recipe", "folder", "prices", "finished", "copies", "clock"] as const).find((one) => params.has(one)) ??
      KINDS.find(({ kind }) => params.has(kind))?.kind;
    if (of) choose({ of, id: Number(params.get(of)) });
  }
  return [chosen, choose];
}

/** The thing that is chosen; the first stock to begin with. */
function thingOf(shelf: Schemas["ShelfShown"], chosen: Chosen | null): { kind: Kind | null; entry: Entry | undefined } {
  const kind = chosen?.of ?? "stock";
  if (!isKind(kind)) return { kind: null, entry: undefined };
  const rows: Entry[] = shelf[kind];
  return { kind, entry: rows.find((row) => row.id === chosen?.id) ?? rows[0] };
}

const isKind = (of: Chosen["of"]): of is Kind => KINDS.some(({ kind }) => kind === of);

type ChosenProps = { chosen: Chosen | null; shelf: Schemas["ShelfShown"]; choose: (chosen: Chosen | null) => void };

function Chosen({ chosen, shelf, choose }: ChosenProps) {
  if (chosen?.of === "file") {
    return (
      <>
        <h1>A Shelf from a file</h1>
        <ShelfFileIn done={() => choose(null)} />
      </>
    );
  }
  if (chosen?.of === "prices") return <PriceSettings />;
  if (chosen?.of === "finished") return <FinishedSettings />;
  if (chosen?.of === "copies") return <CopiesSettings />;
  if (chosen?.of === "clock") return <ClockSettings />;
  if (chosen?.of === "card") return <TestCardReading index={chosen.id} shelf={shelf} />;
  if (chosen?.of === "folder") return <FolderSettings key={chosen.id} id={chosen.id} gone={() => choose(null)} />;
  if (chosen?.of === "recipe") {
    return <RecipeSettings key={chosen.id} id={chosen.id} choose={(id) => choose(id === null ? null : { of: "recipe", id })} />;
  }
  if (chosen?.of === "rule") {
    return <RuleSettings index={chosen.id} choose={(id) => choose(id === null ? null : { of: "rule", id })} />;
  }
  const { kind, entry } = thingOf(shelf, chosen);
  const open = KINDS.find((one) => one.kind === kind);
  if (!open || !entry) return <p>Choose something on the Shelf.</p>;
  const opened = (id: number, of: Kind = open.kind) => choose({ of, id });
  return <ThingSettings key={`${open.kind}${entry.id}`} kind={open} entry={entry} opened={opened} gone={() => choose(null)} />;
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
