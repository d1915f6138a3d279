import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useMay } from "../people/usePeople";
import { recipesQuery, type RecipeAsked, useRecipes } from "../api/useRecipes";
import { Button } from "./Button";
import { Fold } from "./Row";

type Props = {
  /** Where it stands, to remember whether it is open. */
  name: string;
  use: (recipe_id: number) => void;
  /** What the choices of a new recipe are taken from. */
  from: Omit<RecipeAsked, "name">;
};

/** The shop's recipes: one press does it that way; how it is done now is kept under a name. */
export function UseRecipe({ name, use, from }: Props) {
  const { data: recipes = [] } = useQuery({ ...recipesQuery, enabled: useMay("BOOKS") });
  const { add } = useRecipes();
  const [called, setCalled] = useState("");
  const keep = () => {
    if (called.trim()) add.mutate({ name: called.trim(), ...from }, { onSuccess: () => setCalled("") });
  };
  return (
    <Fold name={name} title="Recipe" closed>
      {recipes.length > 0 && (
        <div role="group" aria-label="Use a recipe" className="mb-2 flex flex-wrap gap-1.5">
          {recipes.map((recipe) => (
            <Button key={recipe.id} narrow onClick={() => use(recipe.id)}>
              {recipe.name}
            </Button>
          ))}
        </div>
      )}
      <p className="text-[12px] text-slate">
        {recipes.length > 0 ? "A press sets what the recipe chose; the rest stays, and Undo takes it back." : "No recipe is kept yet."}
      </p>
      <div className="mt-2 flex items-end gap-1.5">
        <label className="min-w-0 flex-1 text-[12px] text-slate">
          Keep these choices as
          <input
            value={called}
            maxLength={110}
            onChange={(event) => setCalled(event.target.value)}
            onKeyDown={(event) => event.key === "Enter" && keep()}
            className="mt-1 block h-9 w-full rounded-[5px] border border-rule bg-white px-2.5 text-[13px] text-ink"
          />
        </label>
        <Button narrow onClick={keep} disabled={!called.trim() || add.isPending}>
          Keep
        </Button>
      </div>
    </Fold>
  );
}
