import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { Schemas } from "../api/client";
import { differencesQuery, recipeQuery, recipesQuery, type Recipe, useRecipes } from "../api/useRecipes";
import { buttonLook, TextButton } from "../ui/Button";
import { Note } from "../ui/Card";
import { ChoiceRow } from "../ui/Choice";
import { NumberRow, TextField } from "../ui/Field";
import { OpenRow, Row, Section } from "../ui/Row";
import { length, useUnit } from "../ui/units";
import { NamedTile } from "./NamedTile";

type Choice = Schemas["ChoiceShown"];

/** What a width begins with, until another one is typed. */
const FIRST_WIDTH_MM = 100;

/** The shop's recipes among the things of the Shelf. */
export function RecipeTiles({ chosen, choose }: { chosen: number | null; choose: (id: number) => void }) {
  const { data: recipes = [] } = useQuery(recipesQuery);
  const { add, takeIn } = useRecipes();
  return (
    <section aria-label="Recipes" className="mb-6">
      <h2 className="mb-2.5 flex items-baseline gap-4">
        Recipes
        <button
          type="button"
          onClick={() => add.mutate({ name: "New recipe" }, { onSuccess: ({ id }) => choose(id) })}
          className="text-[13px] font-semibold text-pine hover:underline"
        >
          Add a recipe
        </button>
        <label className="cursor-pointer text-[13px] font-semibold text-pine hover:underline">
          Take in a RECIPE.json
          <input
            type="file"
            accept="application/json,.json"
            className="sr-only"
            onChange={(event) => {
              const [file] = event.target.files ?? [];
              if (file) takeIn.mutate(file, { onSuccess: ({ id }) => choose(id) });
              event.target.value = "";
            }}
          />
        </label>
      </h2>
      {recipes.length === 0 && (
        <p className="text-slate">None yet. In Lines, in Run or from a finished job, keep how it was done under a name.</p>
      )}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(200px,1fr))] gap-3">
        {recipes.map((recipe) => (
          <NamedTile
            key={recipe.id}
            name={recipe.name}
            words={wordsOf(recipe)}
            chosen={chosen === recipe.id}
            choose={() => choose(recipe.id)}
          />
        ))}
      </div>
    </section>
  );
}

function wordsOf({ for_all, choices, send }: Schemas["RecipeListed"]): string {
  const said = [for_all && "for all that comes in", choices === 1 ? "1 choice" : `${choices} choices`, send && "sent"];
  return said.filter(Boolean).join(" · ");
}

/** A recipe: its choices, each changed or left out where it stands, and what can be done with it as a whole. */
export function RecipeSettings({ id, choose }: { id: number; choose: (id: number | null) => void }) {
  const { data: recipe, error } = useQuery(recipeQuery(id));
  const { add, change, remove } = useRecipes();
  if (error) return <p>{error.message}</p>;
  if (!recipe) return null;
  const set = (changes: Parameters<typeof change.mutate>[0]["changes"]) => change.mutate({ recipe, changes });
  return (
    <>
      <TextField large label="Name of the recipe" value={recipe.name} longest={110} onChange={(name) => name.trim() && set({ name })} />
      {recipe.missing.length > 0 && <Note>Not on this Shelf: {recipe.missing.join(", ")}. A run keeps what it has in its place.</Note>}
      <label className="mt-2 flex min-h-9 items-center gap-2.5">
        <input
          type="checkbox"
          className="size-5 accent-pine"
          checked={recipe.for_all}
          onChange={(event) => set({ for_all: event.target.checked })}
        />
        All that comes in and every new run begin with it
      </label>
      <label className="flex min-h-9 items-center gap-2.5">
        <input
          type="checkbox"
          className="size-5 accent-pine"
          checked={recipe.send}
          onChange={(event) => set({ send: event.target.checked })}
        />
        What a drop folder makes by it is sent, not held
      </label>
      {(["lines", "run"] as const).map((part) => {
        const choices = recipe.shown.filter((one) => one.part === part);
        return (
          choices.length > 0 && (
            <Section key={part} title={part === "lines" ? "In Lines" : "In Run and Print"}>
              {choices.map((choice) => (
                <ChoiceLine
                  key={choice.key}
                  choice={choice}
                  put={(value) => set({ [part]: { [choice.key]: value } })}
                  leave={() => set({ leave_out: [[part, choice.key]] })}
                />
              ))}
            </Section>
          )
        );
      })}
      {!recipe.shown.some((one) => one.key === "width_mm") && (
        <TextButton onClick={() => set({ lines: { width_mm: FIRST_WIDTH_MM } })}>Make all art one width</TextButton>
      )}
      {recipe.shown.length === 0 && (
        <p className="mt-3 text-slate">It chooses nothing yet. In Lines or Run, keep choices under its name, or take in a file.</p>
      )}
      <Beside recipe={recipe} />
      <Section title="As a whole">
        <a href={`/api/recipes/${recipe.id}/file`} download className={`${buttonLook} mb-1 h-9 justify-center px-2.5`}>
          Save as RECIPE.json
        </a>
        <TextButton onClick={() => add.mutate({ name: recipe.name, like: recipe.id }, { onSuccess: (made) => choose(made.id) })}>
          Duplicate this recipe
        </TextButton>
        <TextButton onClick={() => remove.mutate(recipe.id, { onSuccess: () => choose(null) })}>Delete this recipe</TextButton>
        <p className="text-[12px] text-slate">Jobs that used it keep what it said.</p>
      </Section>
    </>
  );
}

type LineProps = { choice: Choice; put: (value: unknown) => void; leave: () => void };

/** One choice: changed where it stands if it is a number or one of a few, or left open again. */
function ChoiceLine({ choice, put, leave }: LineProps) {
  const why =
    choice.key === "width_mm"
      ? "All art that comes in with this recipe, whatever it says of its size itself. A width in the name of a file goes before it."
      : "Left open, it stays as it is wherever the recipe is used.";
  const out = (
    <button type="button" onClick={leave} className="mb-2 text-[12px] font-semibold text-pine hover:underline">
      Leave {choice.label.toLowerCase()} open
    </button>
  );
  if ((choice.form === "length" || choice.form === "number") && typeof choice.value === "number") {
    return (
      <div>
        <NumberRow
          label={choice.label}
          kind={choice.form === "length" ? "length" : "plain"}
          value={choice.value}
          decimals={2}
          signed={(choice.least ?? 0) < 0}
          least={choice.least ?? undefined}
          most={choice.most ?? undefined}
          why={why}
          onChange={put}
        />
        {out}
      </div>
    );
  }
  if (choice.form === "one of" || choice.form === "yes or no") {
    const choices = choice.form === "one of" ? choice.choices : ["yes", "no"];
    const value = choice.form === "one of" ? String(choice.value) : choice.value ? "yes" : "no";
    return (
      <div>
        <ChoiceRow
          label={choice.label}
          value={value}
          choices={choices.map((one) => [one, one] as [string, string])}
          why={why}
          onChange={(next) => put(choice.form === "one of" ? next : next === "yes")}
        />
        {out}
      </div>
    );
  }
  return <AsAWhole choice={choice} out={out} />;
}

function AsAWhole({ choice, out }: { choice: Choice; out: ReactNode }) {
  const [open, setOpen] = useState(false);
  const short = choice.words.length > 26 ? `${choice.words.slice(0, 25)}…` : choice.words;
  return (
    <OpenRow
      label={choice.label}
      shown={short}
      why="Changed where it is used: keep the choices again under a name."
      open={open}
      setOpen={setOpen}
    >
      <p className="mb-1">{choice.words}</p>
      {out}
    </OpenRow>
  );
}

/** What differs from another recipe. */
function Beside({ recipe }: { recipe: Recipe }) {
  const { data: recipes = [] } = useQuery(recipesQuery);
  const [other, setOther] = useState("");
  const { data: differences } = useQuery({ ...differencesQuery(recipe.id, Number(other)), enabled: other !== "" });
  const unit = useUnit((state) => state.unit);
  const said = (words: string, mm: number | null) => (mm === null ? words || "open" : `${length(mm, unit, 2)} ${unit}`);
  const others = recipes.filter((one) => one.id !== recipe.id);
  if (others.length === 0) return null;
  return (
    <Section title="What differs">
      <ChoiceRow
        label="Beside"
        value={other}
        choices={others.map((one) => [String(one.id), one.name] as [string, string])}
        why="Choices that the two do not share."
        onChange={setOther}
      />
      {differences?.length === 0 && <p className="mt-1 text-slate">Both choose the same.</p>}
      {differences?.map((one) => (
        <Row key={`${one.part} ${one.label}`} label={one.label}>
          {said(one.one, one.one_mm)} <span className="font-normal text-slate">there {said(one.other, one.other_mm)}</span>
        </Row>
      ))}
    </Section>
  );
}
