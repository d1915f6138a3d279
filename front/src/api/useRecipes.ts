import { queryOptions, useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, type Schemas, told } from "./client";
import { sayProblem } from "./held";

export type Recipe = Schemas["RecipeShown"];
export type RecipeAsked = Schemas["RecipeAsked"];
export type RecipeChanges = Omit<Schemas["RecipeChanges"], "version">;

export const recipesQuery = queryOptions({ queryKey: ["recipes"], queryFn: () => told(api.GET("/api/recipes")) });
export const recipeQuery = (id: number) =>
  queryOptions({
    queryKey: ["recipe", id],
    queryFn: () => told(api.GET("/api/recipes/{recipe_id}", { params: { path: { recipe_id: id } } })),
  });
export const differencesQuery = (one: number, other: number) =>
  queryOptions({
    queryKey: ["recipe", one, "beside", other],
    queryFn: () => told(api.GET("/api/recipes/{recipe_id}/compare/{other_id}", { params: { path: { recipe_id: one, other_id: other } } })),
  });

/** Recipes are made, changed, taken in and deleted. */
export function useRecipes() {
  const queries = useQueryClient();
  const refresh = () => {
    for (const queryKey of [["recipes"], ["recipe"]]) void queries.invalidateQueries({ queryKey });
  };
  const add = useMutation({
    mutationFn: (body: RecipeAsked) => told(api.POST("/api/recipes", { body })),
    onSuccess: (made) => {
      toast(`${made.name} is on the Shelf: ${made.choices} ${made.choices === 1 ? "choice" : "choices"}.`);
      refresh();
    },
    onError: sayProblem,
  });
  const change = useMutation({
    // one after the other, each built on what the one before made of it
    scope: { id: "recipes" },
    mutationFn: ({ recipe, changes }: { recipe: Recipe; changes: Partial<RecipeChanges> }) => {
      const { version } = queries.getQueryData(recipeQuery(recipe.id).queryKey) ?? recipe;
      return told(
        api.PATCH("/api/recipes/{recipe_id}", {
          params: { path: { recipe_id: recipe.id } },
          body: { version, lines: {}, run: {}, leave_out: [], ...changes },
        }),
      );
    },
    onSuccess: async (changed) => {
      const { queryKey } = recipeQuery(changed.id);
      await queries.cancelQueries({ queryKey }); // what was asked before the change must not come back over it
      queries.setQueryData(queryKey, changed);
    },
    onSettled: refresh,
    onError: sayProblem,
  });
  const remove = useMutation({
    mutationFn: (recipe_id: number) => told(api.DELETE("/api/recipes/{recipe_id}", { params: { path: { recipe_id } } })),
    onSuccess: refresh,
    onError: sayProblem,
  });
  const takeIn = useMutation({
    mutationFn: async (file: File) => told(api.POST("/api/recipes/file", { body: { name: file.name, text: await file.text() } })),
    onSuccess: refresh,
    onError: sayProblem,
  });
  return { add, change, remove, takeIn };
}
