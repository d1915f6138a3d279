"""From stations' states to what goes over the wire."""

from collections.abc import Callable, Iterable
from datetime import UTC, datetime
from functools import lru_cache
from typing import TypeVar

import structlog
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points, path_length
from etiquette.core.geometry.pens import SvgPen
from etiquette.core.marking.codes import CodeKind, code_modules
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.marking.marks import MarkRecipe, mark_paths
from etiquette.core.marking.strips import PATCH_MM, STOCK, Inks
from etiquette.files.lines_svg import LinesFile
from etiquette.stations import sheets
from etiquette.stations.run_rolls import roll_of
from etiquette.stations.schemas import (
    CodeShown,
    LineShown,
    MarkShown,
    OnBedShown,
    PatchShown,
    PlanShown,
    RunListed,
    SheetShown,
)
from etiquette.store.models import Run, RunItem, Sheet
from etiquette.store.rows import newest_named
from etiquette.store.states import RunState

S = TypeVar("S")
T = TypeVar("T")
log = structlog.stdlib.get_logger(__name__)


def each_readable(show: Callable[[T], S], rows: Iterable[T]) -> list[S]:
    """Every row as `show` makes it; one that another version has written and this one cannot read never hides the
    others."""
    made = []
    for row in rows:
        try:
            made.append(show(row))
        except (JobError, LookupError) as error:
            log.warning(
                "a row cannot be shown",
                kind=type(row).__name__,
                row=getattr(row, "id", None),
                error=type(error).__name__,
            )
    return made


def lines_shown(file: LinesFile) -> list[LineShown]:
    """Finish lines as SVG paths, y down from the top of their file."""
    drawn = []
    for line in file.lines:
        pen = SvgPen(file.height_mm)
        line.path.draw(pen)
        length, nodes = round(path_length(line.path), 2), line.path.node_count
        drawn.append(LineShown(kind=line.kind, d=pen.data, length_mm=length, nodes=nodes))
    return drawn


@lru_cache(maxsize=256)
def _rings(recipe: MarkRecipe, inward: tuple[int, int]) -> list[Points]:
    """A mark about its place, as it is drawn: the same for every mark of a set, and for every time it is shown."""
    return [path.flatten(0.02) for path in mark_paths(recipe, 0.0, 0.0, inward)]


@lru_cache(maxsize=1024)
def _code_rows(kind: CodeKind, payload: str) -> list[str]:
    return ["".join("1" if dark else "0" for dark in row) for row in code_modules(kind, payload)]


def plan_shown(plan: FramePlan, recipe: MarkRecipe) -> PlanShown:
    """A frame plan as the canvas draws it."""
    codes = [
        CodeShown(
            payload=place.code.payload,
            end=place.code.end,
            x=place.x,
            y=place.y,
            width=place.size[0],
            height=place.size[1],
            rows=_code_rows(place.kind, place.code.payload),
        )
        for place in plan.codes
    ]
    return PlanShown(
        code=plan.code,
        marks=[
            MarkShown(
                id=mark.id,
                x=mark.x,
                y=mark.y,
                rings=[(ring + (mark.x, mark.y)).round(3).tolist() for ring in _rings(recipe, plan.inward(mark))],
            )
            for mark in plan.marks
        ],
        size_mm=recipe.size_mm,
        codes=codes,
        arrow=[(float(x), float(y)) for x, y in plan.arrow.exterior.coords[:-1]],
        strip=[
            PatchShown(x=x, y=y, size=PATCH_MM, colour=_on_screen(inks))
            for name, inks, x, y in (plan.strip.places() if plan.strip else ())
            if name != STOCK
        ],
        slug=plan.slug,
        slug_at=plan.slug_at,
        shift=plan.shift,
        work=plan.work,
        width_mm=plan.width_mm,
        length_mm=plan.length_mm,
        lies=OnBedShown.model_validate(plan.lies, from_attributes=True) if plan.lies else None,
    )


def _on_screen(inks: Inks) -> str:
    """About how inks look, for a drawing."""
    *colours, black = inks
    return "#" + "".join(f"{round(255 * (1 - one) * (1 - black)):02x}" for one in colours)


RUNS_SHOWN = 200


def runs_listed(session: Session, text: str) -> list[RunListed]:
    """The newest RUNS_SHOWN runs, or those with all words of `text` in their names, put away or not; their documents
    are not read."""
    pieces = select(func.coalesce(func.sum(RunItem.count), 0)).where(RunItem.run_id == Run.id).scalar_subquery()
    wanted = select(Run.id, Run.name, Run.state, pieces).order_by(Run.id.desc()).limit(RUNS_SHOWN)
    if text.strip():
        wanted = wanted.where(Run.id.in_(newest_named(session, Run, text.split(), RUNS_SHOWN)))
    else:
        wanted = wanted.where(~Run.away)
    return [_listed(*row) for row in session.execute(wanted).tuples()]


def run_listed(run: Run) -> RunListed:
    """A run in a list."""
    return _listed(run.id, run.document.name, run.state, sum(item.count for item in run.document.items))


def _listed(number: int, name: str | None, state: RunState, pieces: int) -> RunListed:
    thumb = f"/api/runs/{number}/thumb"
    return RunListed(id=number, name=name or f"Run {number}", state=state, pieces=int(pieces), thumb=thumb)


def _utc(moment: datetime | None) -> datetime | None:
    return moment.replace(tzinfo=UTC) if moment else None


def sheet_shown(session: Session, sheet: Sheet) -> SheetShown:
    """A printed sheet with what can be done with it next."""
    summary, drying = sheet.plate.summary, sheets.drying_of(session, sheet)
    run = session.get_one(Run, sheet.plate.run_id)
    wants_film = sheet.state == "printed" and sheets.wants_film(session, run)
    return SheetShown(
        id=sheet.id,
        name=sheet.name,
        state=sheet.state,
        run_id=sheet.plate.run_id,
        run_name=summary.name,
        together=len(sheets.length_of(sheet)),
        still=len(sheets.still_printed(sheet)),
        roll=roll_of(session, sheet).name,
        has_code=bool(summary.plan.codes),
        frame=summary.frame,
        stock=summary.stock,
        pieces=sheet.pieces,
        good=sheet.good,
        film=sheet.film,
        wants_film=wants_film,
        only_printed=run.told("way") == "only",
        length_mm=summary.plan.length_mm,
        width_mm=summary.plan.width_mm,
        touch_dry_at=_utc(drying.touch_dry_at),
        dry_at=_utc(drying.film_at),
        rest=drying.rest,
    )
