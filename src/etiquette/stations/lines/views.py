"""What Lines shows of a design."""

from collections.abc import Mapping

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.artwork.path_picks import look_of
from etiquette.core.artwork.spot_inks import Plate
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.pens import SvgPen
from etiquette.core.units import MM_PER_INCH
from etiquette.stations import designs
from etiquette.stations.lines.path_picking import Picked
from etiquette.stations.lines.schemas import DesignListed, DesignShown, PathPressed, SpecialShown
from etiquette.stations.shop import Shop
from etiquette.stations.views import each_readable, lines_shown
from etiquette.store.models import Art, Design, RunItem
from etiquette.store.rows import loaded


def design_shown(shop: Shop, state: designs.DesignState) -> DesignShown:
    design, document, art = state.design, state.document, state.art
    file = designs.lines_of(shop, state)
    width = document.width_mm
    return DesignShown(
        id=design.id,
        revision=design.revision,
        job=design.job.name,
        job_id=design.job_id,
        customer=design.job.customer,
        form=art.form,  # type: ignore[arg-type]
        art_id=art.id,
        cleared_at=art.cleared_at,
        natural_width_mm=art.natural_width_mm,
        natural_height_mm=art.natural_height_mm,
        size_known=art.size_known,
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
        specials=[
            SpecialShown(ink=int(plate[8:]), name=ink.name, look=ink.look, d=_areas_drawn(shop, state, plate))
            for plate, ink in zip(state.called, state.specials, strict=True)
        ],
        undo=state.undo,
        redo=state.redo,
    )


def _areas_drawn(shop: Shop, state: designs.DesignState, plate: Plate) -> str | None:
    areas = designs.plate_areas_of(shop, state, plate)
    if not areas:
        return None
    pen = SvgPen(state.height_mm or 0.0)
    for area in areas:
        for ring in (area.exterior, *area.interiors):
            Path.from_points(np.asarray(ring.coords)).draw(pen)
    return pen.data


def path_pressed(design: DesignShown, picked: Picked) -> PathPressed:
    """A path that was pressed, with the design as it is since."""
    colour, spots = look_of(picked.path)
    return PathPressed(
        design=design,
        number=picked.path.number,
        kind=picked.kind,
        layer=picked.path.layers[-1] if picked.path.layers else "",
        colour=colour,
        spots=list(spots),
        stroke_mm=picked.path.stroke_mm if picked.path.stroke else None,
        like=picked.like,
    )


def designs_listed(session: Session, text: str) -> list[DesignListed]:
    rows = designs.designs_named(session, text)
    arts = loaded(session, Art, (row.document_json.get("art_id") for row in rows))
    of_rows = RunItem.design_id.in_([row.id for row in rows])
    asked = select(RunItem.design_id, func.sum(RunItem.count)).where(of_rows).group_by(RunItem.design_id)
    planned = dict(session.execute(asked).tuples().all())
    return each_readable(lambda design: _listed(design, arts, int(planned.get(design.id, 0))), rows)


def _listed(design: Design, arts: Mapping[int, Art], planned: int) -> DesignListed:
    document = design.document
    width = document.width_mm
    art = arts[document.art_id]
    return DesignListed(
        id=design.id,
        job_id=design.job_id,
        name=document.name,
        customer=design.job.customer,
        due_count=document.due_count,
        planned=planned,
        ready=document.ready,
        width_mm=width,
        height_mm=designs.height_mm(art, width) if width else None,
        art_id=art.id,
        form=art.form,  # type: ignore[arg-type]
    )
