"""From stations' states to what goes over the wire."""

from collections.abc import Callable, Iterable
from datetime import UTC, datetime
from functools import lru_cache
from typing import TypeVar

import structlog
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points, path_length
from etiquette.core.geometry.pens import SvgPen
from etiquette.core.marking.codes import CodeKind, code_modules
from etiquette.core.marking.frames import FramePlan
from etiquette.core.marking.marks import MarkRecipe, mark_paths
from etiquette.core.marking.strips import PATCH_MM, STOCK, Inks
from etiquette.files.lines_svg import LinesFile
from etiquette.stations import sheets
from etiquette.stations.run_rolls import roll_of
from etiquette.stations.schemas import CodeShown, LineShown, MarkShown, PatchShown, PlanShown, RunListed, SheetShown
from etiquette.store.models import Run, Sheet

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
        length_mm=plan.length_mm,
    )


def _on_screen(inks: Inks) -> str:
    """About how inks look, for a drawing."""
    *colours, black = inks
    return "#" + "".join(f"{round(255 * (1 - one) * (1 - black)):02x}" for one in colours)


def run_listed(run: Run) -> RunListed:
    """A run in a list."""
    items = run.document.items
    return RunListed(
        id=run.id,
        name=run.document.name,
        state=run.state,
        pieces=sum(item.count for item in items),
        thumb=f"/api/runs/{run.id}/thumb",
    )


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
        only_printed=run.document.way == "only",
        length_mm=summary.plan.length_mm,
        width_mm=summary.plan.width_mm,
        touch_dry_at=_utc(drying.touch_dry_at),
        dry_at=_utc(drying.film_at),
        rest=drying.rest,
    )
