"""From stations' states to what goes over the wire."""

import logging
from collections.abc import Callable, Iterable, Mapping
from datetime import UTC
from typing import TypeVar

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.artwork.spot_inks import Plate
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Path, path_length
from etiquette.core.geometry.pens import SvgPen
from etiquette.core.marking.codes import code_modules
from etiquette.core.marking.frames import FramePlan
from etiquette.core.marking.marks import MarkRecipe, mark_paths
from etiquette.core.units import MM_PER_INCH
from etiquette.files.documents.runs import RunDocument
from etiquette.files.lines_svg import LinesFile
from etiquette.stations import comparing, designs, lines, printing, runs
from etiquette.stations.shop import Shop
from etiquette.store.models import Art, Design, PrintMode, Run, Sheet, Stock
from etiquette.store.models import Plate as PlateSet
from etiquette.store.rows import loaded
from etiquette.web import schemas

S = TypeVar("S")
T = TypeVar("T")
log = logging.getLogger(__name__)


def design_shown(shop: Shop, state: designs.DesignState) -> schemas.DesignShown:
    design, document, art = state.design, state.document, state.art
    file = lines.lines_of(shop, state)
    width = document.width_mm
    return schemas.DesignShown(
        id=design.id,
        revision=design.revision,
        job=design.job.name,
        customer=design.job.customer,
        form=art.form,  # type: ignore[arg-type]
        art_id=art.id,
        natural_width_mm=art.natural_width_mm,
        natural_height_mm=art.natural_height_mm,
        file_name=art.file_name,
        width_px=art.width_px,
        height_px=art.height_px,
        height_mm=state.height_mm,
        dpi=art.width_px / width * MM_PER_INCH if width and art.form == "picture" else None,
        document=document,
        lines=lines_shown(file) if file else None,
        summary=state.lines.summary if state.lines else None,
        meanings=state.meanings,
        white=_areas_drawn(shop, state, "white"),
        clear=_areas_drawn(shop, state, "clear"),
        undo=state.undo,
        redo=state.redo,
    )


def _areas_drawn(shop: Shop, state: designs.DesignState, plate: Plate) -> str | None:
    areas = lines.plate_areas_of(shop, state, plate)
    if not areas:
        return None
    pen = SvgPen(state.height_mm or 0.0)
    for area in areas:
        for ring in (area.exterior, *area.interiors):
            Path.from_points(np.asarray(ring.coords)).draw(pen)
    return pen.data


def each_readable(show: Callable[[T], S], rows: Iterable[T]) -> list[S]:
    """Every row as `show` makes it; one that another version has written and this one cannot read never hides the others."""
    made = []
    for row in rows:
        try:
            made.append(show(row))
        except (JobError, LookupError) as error:
            log.warning("%s %s cannot be shown: %s", type(row).__name__, getattr(row, "id", ""), type(error).__name__)
    return made


def designs_listed(session: Session) -> list[schemas.DesignListed]:
    rows = designs.all_designs(session)
    arts = loaded(session, Art, (row.document_json.get("art_id") for row in rows))
    return each_readable(lambda design: design_listed(design, arts), rows)


def design_listed(design: Design, arts: Mapping[int, Art]) -> schemas.DesignListed:
    document = design.document
    width = document.width_mm
    art = arts[document.art_id]
    return schemas.DesignListed(
        id=design.id,
        name=document.name,
        customer=design.job.customer,
        due_count=document.due_count,
        ready=document.ready,
        width_mm=width,
        height_mm=designs.height_mm(art, width) if width else None,
        art_id=art.id,
        form=art.form,  # type: ignore[arg-type]
    )


def lines_shown(file: LinesFile) -> list[schemas.LineShown]:
    drawn = []
    for line in file.lines:
        pen = SvgPen(file.height_mm)
        line.path.draw(pen)
        length, nodes = round(path_length(line.path), 2), line.path.node_count
        drawn.append(schemas.LineShown(kind=line.kind, d=pen.data, length_mm=length, nodes=nodes))
    return drawn


def plan_shown(plan: FramePlan, recipe: MarkRecipe) -> schemas.PlanShown:
    codes = [
        schemas.CodeShown(
            payload=place.code.payload,
            end=place.code.end,
            x=place.x,
            y=place.y,
            width=place.size[0],
            height=place.size[1],
            rows=[
                "".join("1" if dark else "0" for dark in row) for row in code_modules(place.kind, place.code.payload)
            ],
        )
        for place in plan.codes
    ]
    return schemas.PlanShown(
        marks=[
            schemas.MarkShown(
                id=mark.id,
                x=mark.x,
                y=mark.y,
                rings=[
                    path.flatten(0.02).round(3).tolist()
                    for path in mark_paths(recipe, mark.x, mark.y, plan.inward(mark))
                ],
            )
            for mark in plan.marks
        ],
        size_mm=recipe.size_mm,
        codes=codes,
        arrow=[(float(x), float(y)) for x, y in plan.arrow.exterior.coords[:-1]],
        slug=plan.slug,
        slug_at=plan.slug_at,
        shift=plan.shift,
        work=plan.work,
        length_mm=plan.length_mm,
    )


def run_shown(shop: Shop, session: Session, state: runs.RunState) -> schemas.RunShown:
    document = state.document
    placed: dict[str, int] = {}
    for placement in document.layout.placements if document.layout else []:
        placed[placement.id] = placed.get(placement.id, 0) + 1
    pieces = []
    for item in document.items:
        design = state.designs[item.design_id]
        outline = lines.outline_of_design(shop, design)
        width = design.document.width_mm or 0.0
        pieces.append(
            schemas.PieceShown(
                design_id=item.design_id,
                name=design.document.name,
                outline=np.asarray(outline.exterior.coords).round(3).tolist() if outline else [],
                width_mm=width,
                height_mm=design.height_mm or 0.0,
                count=item.count,
                placed=placed.get(str(item.design_id), 0),
            )
        )
    usable, narrowest = state.kit.usable()
    bed = runs.bed_for(document, state.kit) if document.laying == "bed" else None
    return schemas.RunShown(
        id=state.run.id,
        revision=state.run.revision,
        state=state.run.state,
        document=document,
        stock_name=state.stock.name,
        stock_width_mm=state.stock.width_mm,
        roll_name=state.roll.name,
        roll_left_mm=state.roll.remaining_mm,
        roll_length_mm=state.roll.length_mm,
        cutter_name=state.cutter.name,
        fresh=state.fresh,
        pieces=pieces,
        layout=document.layout,
        plans=[plan_shown(plan, state.kit.recipe) for plan in state.plans],
        figures=state.figures,
        weed=_weed_shown(shop, state),
        places=[(*corner, document.bed.place_across_mm, document.bed.place_along_mm) for corner in bed.corners]
        if bed
        else [],
        usable_mm=usable,
        narrowest=narrowest,
        offer=comparing.offered(shop, session, state),
        trouble=f"{state.trouble.what} {state.trouble.do}" if state.trouble else None,
        undo=state.undo,
        redo=state.redo,
    )


def _weed_shown(shop: Shop, state: runs.RunState) -> list[list[list[tuple[float, float]]]]:
    weed = state.document.weed
    if not state.plans or (not weed.box and weed.lines == "none"):
        return [[] for _ in state.plans]
    pieces = runs.pieces_of(shop, state.document, state.designs)
    return [
        [stroke.round(2).tolist() for stroke in runs.weed_of_frame(state, pieces, frame)]
        for frame in range(len(state.plans))
    ]


def run_listed(run: Run) -> schemas.RunListed:
    items = run.document.items
    return schemas.RunListed(
        id=run.id,
        name=run.document.name,
        state=run.state,
        pieces=sum(item.count for item in items),
        thumb=f"/api/runs/{run.id}/thumb",
    )


def sheets_listed(session: Session) -> list[schemas.SheetShown]:
    rows = printing.all_sheets(session)
    # held while the list is made: each sheet then finds its run, stock and print mode without asking for them
    runs = loaded(session, Run, (row.plate.run_id for row in rows))
    documents = [document for run in runs.values() if (document := _readable(run))]
    stocks = loaded(session, Stock, (one.stock_id for one in documents))
    modes = loaded(session, PrintMode, (one.print_mode_id for one in documents))
    listed = each_readable(lambda sheet: sheet_shown(session, sheet), rows)
    del stocks, modes
    return listed


def _readable(run: Run) -> RunDocument | None:
    try:
        return run.document
    except JobError:
        return None


def sheet_shown(session: Session, sheet: Sheet) -> schemas.SheetShown:
    summary, dry_at = sheet.plate.summary, printing.dry_at(session, sheet)
    wants_film = sheet.state == "printed" and printing.wants_film(session, session.get_one(Run, sheet.plate.run_id))
    return schemas.SheetShown(
        id=sheet.id,
        name=sheet.name,
        state=sheet.state,
        run_id=sheet.plate.run_id,
        run_name=summary.name,
        frame=summary.frame,
        stock=summary.stock,
        pieces=sheet.pieces,
        good=sheet.good,
        film=sheet.film,
        wants_film=wants_film,
        length_mm=summary.plan.length_mm,
        width_mm=summary.plan.width_mm,
        dry_at=dry_at.replace(tzinfo=UTC) if dry_at else None,
    )


def plate_shown(plate: PlateSet) -> schemas.PlateShown:
    summary = plate.summary
    return schemas.PlateShown(
        id=plate.id,
        bytes=summary.bytes,
        preview_dpi=summary.preview_dpi,
        width_mm=summary.plan.width_mm,
        length_mm=summary.plan.length_mm,
        pieces=summary.pieces,
        order=list(summary.order),
        inks=summary.inks,
        frame=summary.frame,
        code=summary.code,
    )
