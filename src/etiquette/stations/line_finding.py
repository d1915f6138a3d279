"""Lines: find the finish lines of a design, exactly and, while a control moves, quickly."""

from collections import Counter
from dataclasses import dataclass

import shapely
from shapely import Polygon
from sqlalchemy.orm import Session

from etiquette.core.artwork.line_rules import Sorted, colours_left, layers_left, sort_paths, spots_left
from etiquette.core.artwork.raster import png_of, read_picture
from etiquette.core.artwork.spot_inks import Plate
from etiquette.core.artwork.vectors import VectorPage
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import (
    EdgeSettings,
    areas_from_pixels,
)
from etiquette.core.finishing.piece_outlines import outline_of
from etiquette.core.geometry.paths import Path, Points
from etiquette.core.geometry.pens import SvgPen
from etiquette.core.production.designs import (
    PLATES,
    DesignSettings,
    ReadyDesign,
    ready_marked_picture,
    ready_page,
    scaled,
)
from etiquette.core.production.proposing import Proposal, propose
from etiquette.files.documents.designs import DesignDocument
from etiquette.files.documents.lines import BleedReport, BleedStretch, CaughtReport, LinesDocument
from etiquette.files.lines_svg import LinesFile, read_lines, write_lines
from etiquette.files.vectors import read_areas, read_vectors, write_areas, write_plates
from etiquette.sandbox.art import Separated, separate
from etiquette.sandbox.parts import parts_of
from etiquette.stations import designs
from etiquette.stations.designs import DesignState
from etiquette.stations.schemas import LinesFound, OfDesign
from etiquette.stations.shop import Shop
from etiquette.store.models import Art, LineResult
from etiquette.tasks.task import Outcome, Report

PREVIEW_TOLERANCE_PX = 0.5
PREVIEW_TOLERANCE = 0.002
"""How closely quick lines of vector art follow, as a share of its width."""


@dataclass(frozen=True)
class Found:
    """A design made ready, and what came of taking its page apart."""

    ready: ReadyDesign
    page: VectorPage | None = None
    sorted: Sorted | None = None
    separated: Separated | None = None
    left_in: tuple[str, ...] = ()

    def document(self, settings: DesignSettings) -> LinesDocument:
        """What is kept of it beside its files; `settings`: those it was made with."""
        caught = None
        if self.page is not None and self.sorted is not None and self.separated is not None:
            apart = self.separated
            more = {
                "left_out": list(apart.left_out),
                "left_in": list(self.left_in),
                "fonts_lacking": list(apart.fonts_lacking),
                "glass": apart.glass,
            }
            caught = _caught_note(self.page, self.sorted).model_copy(update=more)
        bleed = self.ready.bleed
        stretches = [BleedStretch(state=run.state, d=_svg_line(run.points, bleed.whole[3])) for run in bleed.runs]
        return LinesDocument(
            report=self.ready.report,
            caught=caught,
            bleed=BleedReport(short_mm=bleed.short_mm, stretches=stretches, box=bleed.place),
            findings=self.ready.findings,
            proposed=Proposal() if settings.own_lines_only else self._proposed(settings),
        )

    def _proposed(self, settings: DesignSettings) -> Proposal:
        ready = self.ready
        return propose(settings.edge, ready.lines, ready.report, ready.findings, ready.bleed.runs, settings.bleed_mm)


def find_lines(shop: Shop, wanted: OfDesign, report: Report) -> Outcome[LinesFound]:
    """Task: compute the lines of a design as it is now."""
    state = shop.database.within(lambda session: designs.state_of(session, wanted.design_id))
    key, width = state.lines_key, state.document.width_mm
    if width is None or key is None:
        raise JobError("The design has no size yet.", "size", "Type its width first.")
    if state.lines is not None:
        return Outcome(LinesFound(key=key))
    found = _of_page(shop, state, width, report) if state.art.vectors_sha else _of_picture(shop, state, width, report)
    ready, parts = found.ready, found.separated
    text = write_lines(LinesFile(ready.lines, width, state.height_mm or 0.0)).encode()
    outline = outline_of(read_lines(text, state.art.file_name).lines)  # of the lines as they are kept: rounded

    def publish(session: Session) -> None:
        if session.get(LineResult, key) is not None:
            return

        def kept(content: bytes | None, media: str) -> str | None:
            return shop.blobs.put(session, content, media) if content is not None else None

        picture = png_of(ready.picture) if ready.picture else parts.picture if parts else None
        spots = {plate: write_areas(list(areas)) if areas else None for plate, areas in ready.spots.items()}
        specials = {plate: list(areas) for plate, areas in ready.spots.items() if areas and plate not in PLATES}
        session.add(
            LineResult(
                key=key,
                lines_sha=shop.blobs.put(session, text, "image/svg+xml"),
                print_sha=kept(parts.pdf if parts else None, "application/pdf"),
                print_picture_sha=kept(picture, "image/png"),
                under_sha=kept(png_of(ready.under) if ready.under else None, "image/png"),
                areas_sha=kept(parts.areas if parts else None, "application/json"),
                white_sha=kept(spots["white"], "application/json"),
                clear_sha=kept(spots["clear"], "application/json"),
                specials_sha=kept(write_plates(specials) if specials else None, "application/json"),
                summary=found.document(state.document.to_settings()),
                outline=shapely.to_wkb(outline),
            )
        )

    return Outcome(LinesFound(key=key), publish)


def _of_picture(shop: Shop, state: DesignState, width: float, report: Report) -> Found:
    report(0.05, "Reading the picture")
    picture = read_picture(shop.blobs.read(state.art.picture_sha), state.art.file_name)
    document, more = state.document, areas_of_files(shop, state.document, width)
    colours, within = document.marks()["colours"], document.marked_within
    settings = document.to_settings()
    return Found(ready_marked_picture(picture, width, settings, more, colours, within, progress=report))


def _of_page(shop: Shop, state: DesignState, width: float, report: Report) -> Found:
    document, art = state.document, state.art
    report(0.05, "Sorting the paths by the line rules")
    page, found = sorted_paths(shop, state)
    report(0.2, "Taking the lines out of the print")
    removals = {caught.path.number: caught.removal for caught in found.caught}
    content, drawn = shop.blobs.read(art.content_sha), shop.blobs.read(art.picture_sha)
    separated = separate(content, art.file_name, removals, state.inks, document.marks(), drawn)
    parts = parts_of(page, found, separated, art.file_name)
    more = areas_of_files(shop, document, width)
    ready = ready_page(parts, width, document.to_settings(), more, progress=report)
    left_in = tuple(spot for spot in page.unreached if isinstance(state.inks.get(spot), str))
    left_in += tuple(name for name in page.unreached_layers if f"layer {name}" in document.marked)
    return Found(ready, page, found, separated, left_in)


def areas_of_files(shop: Shop, document: DesignDocument, width: float) -> dict[Plate, list[Polygon]]:
    """What files of white or clear alone paint, as wide as the design."""
    named: dict[Plate, int | None] = {"white": document.white_art_id, "clear": document.clear_art_id}
    return {plate: _area_of_file(shop, art_id, document, width) for plate, art_id in named.items() if art_id}


def _area_of_file(shop: Shop, art_id: int, document: DesignDocument, width: float) -> list[Polygon]:
    art = shop.database.within(lambda session: session.get_one(Art, art_id))
    if not art.vectors_sha:
        picture = read_picture(shop.blobs.read(art.picture_sha), art.file_name)
        return areas_from_pixels(picture, width, EdgeSettings(tolerance_mm=document.tolerance_mm))
    scale = width / (art.natural_width_mm or width)
    return scaled(read_areas(separate(shop.blobs.read(art.content_sha), art.file_name, {}).areas), scale)


def _svg_line(points: Points, height_mm: float) -> str:
    pen = SvgPen(height_mm)
    Path.from_points(points, closed=False).draw(pen)
    return pen.data


def _caught_note(page: VectorPage, found: Sorted) -> CaughtReport:
    return CaughtReport(
        caught=dict(Counter(one.kind for one in found.caught)),
        why=sorted({f"{one.kind}: {one.why}" for one in found.caught}),
        suspects=len(found.suspects),
        hidden=list(page.hidden),
        undrawn=list(page.undrawn),
        spots=spots_left(page, found),
        layers=layers_left(page, found),
        colours=colours_left(page, found),
        asks=sorted({one.word for one in found.caught if one.word}),
    )


def sorted_paths(shop: Shop, state: DesignState) -> tuple[VectorPage, Sorted]:
    """The painted paths of vector art and what becomes of them by the shop's rules, with words of two meanings as the
    customer means them, and by hand."""
    page = read_vectors(shop.blobs.read(state.art.vectors_sha or ""))
    return page, sort_paths(page.paths, state.rules, state.meanings, state.document.by_hand())
