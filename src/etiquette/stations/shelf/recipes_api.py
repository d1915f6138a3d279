"""Recipes: kept, changed, compared, exchanged as files."""

from typing import Annotated, Any

from fastapi import APIRouter, Response
from pydantic import BaseModel, ConfigDict, Field, StringConstraints
from sqlalchemy.orm import Session

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations import designs, recipes, runs
from etiquette.stations.recipe_words import ChoiceShown, Part, choices_shown
from etiquette.stations.schemas import Asked, RowId

router = APIRouter(prefix="/api/recipes", tags=["recipes"], dependencies=[needs(Right.PREPARE, see=Right.BOOKS)])

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
MOST_TEXT = 1_000_000


class RecipeListed(BaseModel):
    id: int
    name: str
    for_all: bool
    send: bool
    version: int
    choices: int
    """How many choices it holds."""


class RecipeShown(RecipeListed):
    shown: list[ChoiceShown]
    missing: list[str]
    """What it names that does not stand on this Shelf."""


class RecipeAsked(Asked):
    """From how a design and a run are now, from another recipe, or of nothing."""

    name: Name
    design_id: RowId | None = None
    run_id: RowId | None = None
    like: RowId | None = None


class RecipeChanges(Asked):
    """What is not named stays."""

    model_config = ConfigDict(extra="forbid")
    version: int
    name: Name | None = None
    lines: dict[str, Any] = {}
    run: dict[str, Any] = {}
    leave_out: list[tuple[Part, str]] = []
    send: bool | None = None
    for_all: bool | None = None
    away: bool | None = None


class RecipeText(Asked):
    name: Annotated[str, StringConstraints(max_length=200)]
    text: str = Field(max_length=MOST_TEXT)


class DifferenceShown(BaseModel):
    part: Part
    label: str
    one: str
    other: str
    one_mm: float | None
    other_mm: float | None


def _listed(session: Session) -> list[RecipeListed]:
    found = []
    for row in recipes.all_recipes(session):
        document = row.document
        count = len(document.lines) + len(document.run)
        found.append(RecipeListed(id=row.id, name=row.name, for_all=row.for_all, send=document.send,
                                  version=row.version, choices=count))  # fmt: skip
    return found


def _shown(session: Session, recipe_id: int) -> RecipeShown:
    row = recipes.recipe_there(session, recipe_id)
    document = row.document
    shown = [*choices_shown("lines", document.lines), *choices_shown("run", document.run)]
    missing = list(recipes.for_run(session, document).missing)
    return RecipeShown(id=row.id, name=row.name, for_all=row.for_all, send=document.send, version=row.version,
                       choices=len(shown), shown=shown, missing=missing)  # fmt: skip


def _made(session: Session, asked: RecipeAsked) -> int:
    if asked.like is not None:
        return recipes.add(
            session, asked.name, recipes.recipe_there(session, asked.like).document.model_dump(mode="json")
        )
    design = designs.state_of(session, asked.design_id).document if asked.design_id is not None else None
    run = runs.run_there(session, asked.run_id).document if asked.run_id is not None else None
    return recipes.add(session, asked.name, recipes.chosen_of(session, design, run))


@router.get("")
def list_recipes(shop: ShopHere) -> list[RecipeListed]:
    return within(shop, _listed)


@router.post("")
def add_recipe(shop: ShopHere, asked: RecipeAsked) -> RecipeShown:
    return within(shop, lambda session: _shown(session, _made(session, asked)))


@router.post("/file")
def take_recipe_in(shop: ShopHere, asked: RecipeText) -> RecipeShown:
    """RECIPE.json of this or another shop."""
    return within(shop, lambda session: _shown(session, recipes.take(session, asked.text, asked.name)))


@router.get("/{recipe_id}")
def show_recipe(shop: ShopHere, recipe_id: int) -> RecipeShown:
    return within(shop, lambda session: _shown(session, recipe_id))


@router.patch("/{recipe_id}")
def change_recipe(shop: ShopHere, recipe_id: int, asked: RecipeChanges) -> RecipeShown:
    changes = asked.model_dump(exclude_unset=True, exclude={"version"})
    within(shop, lambda session: recipes.change(session, recipe_id, asked.version, changes))
    return within(shop, lambda session: _shown(session, recipe_id))


@router.delete("/{recipe_id}", status_code=204)
def delete_recipe(shop: ShopHere, recipe_id: int) -> Response:
    """Jobs that used it keep what it said."""
    within(shop, lambda session: recipes.take_away(session, recipe_id))
    return Response(status_code=204)


@router.get("/{recipe_id}/file", response_class=Response)
def recipe_file(shop: ShopHere, recipe_id: int) -> Response:
    text = within(shop, lambda session: recipes.written(session, recipes.recipe_there(session, recipe_id)))
    headers = {"Content-Disposition": 'attachment; filename="RECIPE.json"'}
    return Response(text, media_type="application/json", headers=headers)


@router.get("/{recipe_id}/compare/{other_id}")
def compare_recipes(shop: ShopHere, recipe_id: int, other_id: int) -> list[DifferenceShown]:
    """What differs; empty words where a recipe leaves it open."""

    def found(session: Session) -> list[recipes.Difference]:
        one, other = (recipes.recipe_there(session, number) for number in (recipe_id, other_id))
        return recipes.differences(one.document, other.document)

    return [DifferenceShown(**vars(one)) for one in within(shop, found)]
