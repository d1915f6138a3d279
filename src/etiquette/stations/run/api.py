"""Run: layouts on the roll."""

from typing import Annotated, Literal

from fastapi import APIRouter, Path, Query
from fastapi.responses import Response
from sqlalchemy.orm import Session

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations import edits, recipes, remakes, run_edits, runs
from etiquette.stations.run import comparing, holders, laying, room, tasks
from etiquette.stations.run.pictures import run_thumb
from etiquette.stations.run.schemas import (
    FillAsked,
    FitsShown,
    HandAsked,
    HolderAsked,
    HolderKept,
    LayoutAsked,
    NestWork,
    PrinterSays,
    RunAsked,
    RunBegun,
    RunEdit,
    RunShown,
)
from etiquette.stations.run.views import run_shown
from etiquette.stations.schemas import RecipeUse, RunListed, StepAsked, TaskMade
from etiquette.stations.views import run_listed, runs_listed
from etiquette.stations.what_lies import Check, ask_printer, of_printer

router = APIRouter(prefix="/api/runs", tags=["run"], dependencies=[needs(Right.PREPARE)])


@router.get("")
def list_runs(shop: ShopHere, text: Annotated[str, Query(max_length=120)] = "") -> list[RunListed]:
    """The newest, or those with all words of `text` in their names."""
    return within(shop, lambda session: runs_listed(session, text))


@router.post("")
def create_run(shop: ShopHere, asked: RunAsked) -> RunBegun:
    items = [item.model_dump() for item in asked.items]

    def begun(session: Session) -> RunBegun:
        run_id = run_edits.create(session, asked.name, items, asked.stock_id)
        joined = remakes.join(session, run_id) if asked.with_remakes else []
        return RunBegun(joined=joined, **run_listed(runs.run_there(session, run_id)).model_dump())

    return within(shop, begun)


@router.get("/{run_id}")
def show_run(shop: ShopHere, run_id: int) -> RunShown:
    return within(shop, lambda session: run_shown(shop, session, runs.state_of(shop, session, run_id)))


@router.get("/{run_id}/room")
def count_room(shop: ShopHere, run_id: int) -> list[FitsShown]:
    """How many more of each design would still fit between the marks."""
    return within(shop, lambda session: room.still_fit(shop, session, run_id))


@router.get("/{run_id}/printer")
def ask_what_lies(shop: ShopHere, run_id: int) -> list[PrinterSays]:
    """What the printer of the run holds, beside what it wants: asked while it is planned."""
    told = ask_printer(shop, run_id)

    def said(session: Session) -> list[Check]:
        return of_printer(session, runs.state_of(shop, session, run_id), told)

    return [PrinterSays(state=one.state, words=one.words) for one in within(shop, said)]


@router.post("/{run_id}/pieces")
def lay_by_hand(shop: ShopHere, run_id: int, asked: HandAsked) -> RunShown:
    """Pieces moved, turned, pinned, doubled or taken off by hand."""
    within(shop, lambda session: laying.lay_by_hand(shop, session, run_id, asked.revision, asked.step))
    return show_run(shop, run_id)


@router.post("/{run_id}/fill")
def fill(shop: ShopHere, run_id: int, asked: FillAsked) -> RunShown:
    """More copies wherever they still fit."""
    within(shop, lambda session: laying.fill(shop, session, run_id, asked.revision, asked.wish))
    return show_run(shop, run_id)


@router.post("/{run_id}/layouts")
def compare(shop: ShopHere, run_id: int, asked: LayoutAsked) -> RunShown:
    """A layout set aside to compare, taken back or let go."""
    within(shop, lambda session: comparing.compare(shop, session, run_id, asked.revision, asked.step))
    return show_run(shop, run_id)


@router.get("/{run_id}/layouts/{which}/thumb", response_class=Response)
def layout_thumb(shop: ShopHere, run_id: int, which: Annotated[int, Path(ge=0, le=100)]) -> Response:
    """A layout that was set aside, as a small SVG."""
    state = within(shop, lambda session: comparing.kept_state(shop, session, run_id, which))
    return Response(run_thumb(shop, state), media_type="image/svg+xml")


@router.post("/{run_id}/holder", dependencies=[needs(Right.KEEP)])
def keep_holder(shop: ShopHere, run_id: int, asked: HolderAsked) -> HolderKept:
    """The blanks on the bed of the run as a holder on the Shelf."""
    kept = within(shop, lambda session: holders.keep(shop, session, run_id, asked.name, asked.play_mm))
    return HolderKept(id=kept)


@router.post("/{run_id}/edits")
def change_run(shop: ShopHere, run_id: int, asked: RunEdit) -> RunShown:
    within(shop, lambda session: run_edits.change(session, run_id, asked.revision, asked.words, asked.named()))
    return show_run(shop, run_id)


@router.post("/{run_id}/recipe")
def use_recipe(shop: ShopHere, run_id: int, asked: RecipeUse) -> RunShown:
    """What a recipe chose for runs, as one edit."""

    def used(session: Session) -> None:
        run_edits.use(session, run_id, asked.revision, recipes.recipe_there(session, asked.recipe_id))

    within(shop, used)
    return show_run(shop, run_id)


@router.post("/{run_id}/{way}")
def step_run(shop: ShopHere, run_id: int, way: Literal["undo", "redo"], asked: StepAsked) -> RunShown:
    within(shop, lambda session: edits.step(session, "run", run_id, asked.revision, way))
    return show_run(shop, run_id)


@router.put("/{run_id}/nest")
def nest(run_id: int, submit: TaskSubmitter) -> TaskMade:
    return TaskMade(task_id=submit(tasks.nest, NestWork(run_id=run_id)))


@router.get("/{run_id}/thumb", response_class=Response)
def thumb(shop: ShopHere, run_id: int) -> Response:
    """The layout as a small SVG, leading edge on the left, as the station shows it."""
    state = within(shop, lambda session: runs.state_of(shop, session, run_id))
    return Response(run_thumb(shop, state), media_type="image/svg+xml")
