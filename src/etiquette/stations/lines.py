"""Lines: find the finish lines of a design, exactly and, while a control moves, quickly."""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from shapely import Polygon, affinity, box
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.line_rules import LineRule, Sorted, Word, sort_paths
from etiquette.core.artwork.raster import Picture, png_of, read_picture
from etiquette.core.artwork.spot_inks import Plate
from etiquette.core.artwork.vectors import VectorPage
from etiquette.core.errors import JobError
from etiquette.core.finishing.bleed import bled, bleed_along, laid_over, region_of
from etiquette.core.finishing.checks import Finding, check_lines
from etiquette.core.finishing.coverage import Field, coverage, find_ground
from etiquette.core.finishing.lines import (
    EdgeSettings,
    FinishLine,
    LineReport,
    areas_from_pixels,
    line_from_areas,
    line_from_pixels,
    line_round_page,
    report_of,
)
from etiquette.core.finishing.more_lines import closed, joined, with_more
from etiquette.core.finishing.spot_areas import Extent, spot_area
from etiquette.core.geometry.paths import Path, Points
from etiquette.core.geometry.pens import SvgPen
from etiquette.files.documents.designs import DesignDocument
from etiquette.files.documents.lines import BleedReport, BleedStretch, CaughtReport, LinesDocument
from etiquette.files.lines_svg import LinesFile, read_lines, write_lines
from etiquette.files.vectors import read_areas, read_vectors, write_areas
from etiquette.sandbox.art import Separated, separate
from etiquette.stations import designs
from etiquette.stations.designs import DesignState
from etiquette.stations.shop import Shop
from etiquette.store.models import Art, LineResult
from etiquette.work.tasks import Outcome, Report

PREVIEW_TOLERANCE_PX = 0.5
PREVIEW_TOLERANCE = 0.002
"""How closely quick lines of vector art follow, as a share of its width."""


@dataclass(frozen=True)
class Found:
    """The lines of a design and what was learned on the way."""

    lines: list[FinishLine]
    report: LineReport
    caught: CaughtReport | None = None
    separated: Separated | None = None
    bleed: BleedReport | None = None
    findings: tuple[Finding, ...] = ()
    print_picture: bytes | None = None
    under: bytes | None = None
    white: bytes | None = None
    clear: bytes | None = None


def find_lines(shop: Shop, arguments: dict[str, Any], report: Report) -> Outcome:
    """Task: compute the lines of a design as it is now."""
    state = shop.database.within(lambda session: designs.state_of(session, arguments["design_id"]))
    key = state.lines_key
    if state.document.width_mm is None or key is None:
        raise JobError("The design has no size yet.", "size", "Type its width first.")
    if state.lines is not None:
        return Outcome({"key": key})
    found = _from_vectors(shop, state, report) if state.art.vectors_sha else _from_picture(shop, state, report)
    text = write_lines(LinesFile(found.lines, state.document.width_mm, state.height_mm or 0.0))

    def publish(session: Session) -> None:
        if session.get(LineResult, key) is not None:
            return
        parts = found.separated

        def kept(content: bytes | None, media: str) -> str | None:
            return shop.blobs.put(session, content, media) if content is not None else None

        session.add(
            LineResult(
                key=key,
                lines_sha=shop.blobs.put(session, text.encode(), "image/svg+xml"),
                print_sha=kept(parts.pdf if parts else None, "application/pdf"),
                print_picture_sha=kept(found.print_picture or (parts.picture if parts else None), "image/png"),
                under_sha=kept(found.under, "image/png"),
                areas_sha=kept(parts.areas if parts else None, "application/json"),
                white_sha=kept(found.white, "application/json"),
                clear_sha=kept(found.clear, "application/json"),
                summary=LinesDocument(
                    report=found.report, caught=found.caught, bleed=found.bleed, findings=found.findings
                ),
            )
        )

    return Outcome({"key": key}, publish)


def _said(report: Report) -> Callable[[float, str], None]:
    def said(share: float, words: str) -> None:
        report(share, words)

    return said


def _from_picture(shop: Shop, state: DesignState, report: Report) -> Found:
    document = state.document
    report(0.05, "Reading the picture")
    picture = read_picture(shop.blobs.read(state.art.picture_sha), state.art.file_name)
    if document.follow == "none":
        raise JobError("A picture holds no lines of its own.", document.name, "Choose what the line follows.")
    lines, summary = line_from_pixels(picture, document.width_mm or 0.0, document.settings(), _said(report))  # fmt: skip
    report(0.9, "Looking at the bleed")
    whole = document.follow == "page"
    share = coverage(picture, find_ground(picture, document.ground), document.distance) if document.bleed_mm and not whole else picture.alpha  # fmt: skip
    done = _completed(lines, summary, document)
    size = (document.width_mm or 0.0, state.height_mm or 0.0)
    done = replace(done, findings=tuple(check_lines(done.lines, size, tolerance_mm=document.tolerance_mm)))

    def art() -> list[Polygon]:
        if whole:
            return [box(0, 0, *size)]
        return areas_from_pixels(picture, document.width_mm or 0.0, document.settings())

    done = _with_plates(shop, done, document, art, {})
    return _with_bleed(done, picture, share, document, under=False)


def _with_plates(
    shop: Shop,
    found: Found,
    document: DesignDocument,
    art: Callable[[], list[Polygon]],
    named: dict[str, list[Polygon]],
) -> Found:
    """With the areas of white and clear: of the art or the lines, of the colours that name them, of files of their own."""
    made: dict[str, bytes | None] = {}
    plates: tuple[tuple[Plate, Extent, float, int | None], ...] = (
        ("white", document.white, document.white_choke_mm, document.white_art_id),
        ("clear", document.clear, document.clear_choke_mm, document.clear_art_id),
    )
    for plate, extent, choke_mm, art_id in plates:
        more = [*named.get(plate, ()), *(_area_of_file(shop, art_id, document) if art_id else ())]
        area = spot_area(extent, art() if extent == "art" else (), found.lines, choke_mm, more)
        made[plate] = write_areas(area) if area else None
    return replace(found, white=made["white"], clear=made["clear"])


def _area_of_file(shop: Shop, art_id: int, document: DesignDocument) -> list[Polygon]:
    """What a file of white or clear alone paints, as wide as the design."""
    art = shop.database.within(lambda session: session.get_one(Art, art_id))
    width = document.width_mm or 0.0
    if not art.vectors_sha:
        picture = read_picture(shop.blobs.read(art.picture_sha), art.file_name)
        return areas_from_pixels(picture, width, EdgeSettings(tolerance_mm=document.tolerance_mm))
    scale = width / (art.natural_width_mm or width)
    return _scaled(read_areas(separate(shop.blobs.read(art.content_sha), art.file_name, {}).areas), scale)


def _scaled(areas: Iterable[Polygon], factor: float) -> list[Polygon]:
    return [affinity.scale(area, factor, factor, origin=(0, 0)) for area in areas]


def _with_bleed(found: Found, picture: Picture, share: Field, document: DesignDocument, under: bool) -> Found:
    """With bleed made when it is asked for, and the map of where it is short."""
    width = document.width_mm or 0.0
    box = (0.0, 0.0, width, width * picture.height_px / picture.width_px)
    region = region_of(found.lines, document.bleed_mm) if document.bleed_mm else []
    made = bled(picture, share, region, width, under) if region else None
    printed, place = (made.picture.alpha, made.box) if made else (picture.alpha, box)
    stretches, short = bleed_along(found.lines, printed, place)
    note = BleedReport(
        short_mm=round(short, 2),
        stretches=[BleedStretch(state=run.state, d=_svg_line(run.points, box[3])) for run in stretches],
        box=place,
    )
    if not made:
        return replace(found, bleed=note)
    content = png_of(made.picture)
    if not under:
        return replace(found, bleed=note, print_picture=content)
    return replace(found, bleed=note, print_picture=png_of(laid_over(picture, made, width)), under=content)


def _svg_line(points: Points, height_mm: float) -> str:
    pen = SvgPen(height_mm)
    Path.from_points(points, closed=False).draw(pen)
    return pen.data


def _completed(lines: list[FinishLine], summary: LineReport, document: DesignDocument) -> Found:
    """With the further lines, and the readings of all of them."""
    more = document.more_lines()
    if not more and not document.line_edits:
        return Found(lines, summary)
    every = _edited(with_more(lines, more, document.tolerance_mm), document)
    whole = report_of(every, [], summary.ground, summary.specks_left_out, summary.warnings)
    deviations = (summary.max_deviation_mm, summary.mean_deviation_mm)
    return Found(every, replace(whole, max_deviation_mm=deviations[0], mean_deviation_mm=deviations[1]))


def _edited(lines: list[FinishLine], document: DesignDocument) -> list[FinishLine]:
    """`lines` with the changes made by hand: other kinds, lines taken out, closed and moved."""
    edits = {edit.line: edit for edit in document.line_edits}
    kept = []
    for number, line in enumerate(lines):
        edit = edits.get(number)
        if edit is None:
            kept.append(line)
        elif edit.kind is not None:
            path = closed(line.path) if edit.close else line.path
            kept.append(FinishLine(edit.kind, path.mapped(partial(np.add, edit.move_mm))))
    if not kept:
        raise JobError("Every line was taken out by hand.", document.name, "Undo, or let the line follow the art.")
    return kept


def _from_vectors(shop: Shop, state: DesignState, report: Report) -> Found:
    document, art = state.document, state.art
    report(0.05, "Sorting the paths by the line rules")
    page, found = sorted_paths(shop, art, state.rules, state.meanings)
    scale = (document.width_mm or 0.0) / page.width_mm
    report(0.2, "Taking the lines out of the print")
    separated = separate(
        shop.blobs.read(art.content_sha),
        art.file_name,
        {caught.path.number: caught.removal for caught in found.caught},
        state.inks,
    )
    caught = _caught_lines(found, scale, document)
    areas = _scaled(read_areas(separated.areas), scale)
    left_in = [spot for spot in page.unreached if state.inks.get(spot) in ("white", "clear")]
    note = _caught_note(page, found).model_copy(update={"left_out": list(separated.left_out), "left_in": left_in})
    if document.follow == "none":
        if not caught:
            raise JobError(
                "The line rules catch nothing in this art.",
                document.name,
                "Let the line follow the edge of the art, or change the line rules on the Shelf.",
            )
        own, summary = caught, report_of(caught, [np.zeros(1)], "lines in the art", 0, [])
    else:
        report(0.5, "Going round what is painted")
        if document.follow == "page":
            round_it, summary = line_round_page(document.width_mm or 0.0, state.height_mm or 0.0, document.settings())
        else:
            round_it, summary = line_from_areas(areas, document.settings(), _said(report))
        own = [*round_it, *caught]
        whole = report_of(own, [], summary.ground, summary.specks_left_out, summary.warnings)
        summary = replace(whole, max_deviation_mm=summary.max_deviation_mm, mean_deviation_mm=summary.mean_deviation_mm)
    done = replace(_completed(own, summary, document), caught=note, separated=separated)
    strokes = [path.mapped(lambda points: points * scale) for suspect in found.suspects for path in suspect.paths]
    size = (document.width_mm or 0.0, state.height_mm or 0.0)
    made = document.follow != "none"
    findings = tuple(check_lines(done.lines, size, strokes, made, document.tolerance_mm))
    done = replace(done, findings=findings)
    named = {plate: _scaled(read_areas(held), scale) for plate, held in (("white", separated.white), ("clear", separated.clear)) if held}  # fmt: skip
    done = _with_plates(shop, done, document, lambda: areas, named)
    report(0.9, "Looking at the bleed")
    picture = read_picture(separated.picture, art.file_name)
    return _with_bleed(done, picture, picture.alpha, document, under=True)


def _caught_lines(found: Sorted, scale: float, document: DesignDocument) -> list[FinishLine]:
    lines = [FinishLine(one.kind, path.mapped(lambda points: points * scale)) for one in found.caught for path in one.path.paths]  # fmt: skip
    return joined(lines, document.join_mm)


def try_rules(shop: Shop, design_id: int, rules: tuple[LineRule, ...]) -> tuple[CaughtReport, list[str]]:
    """What `rules` would catch in a design's art, and the names of its layers and spots. Raises JobError."""
    state = shop.database.within(lambda session: designs.state_of(session, design_id))
    if not state.art.vectors_sha:
        raise JobError("A picture has no paths that rules could catch.", state.document.name, "Choose a PDF, SVG or DXF.")  # fmt: skip
    page, found = sorted_paths(shop, state.art, rules)
    return _caught_note(page, found), sorted({name for path in page.paths for name in (*path.layers, *path.spots)})


def _caught_note(page: VectorPage, found: Sorted) -> CaughtReport:
    lines = {one.path.number for one in found.caught}
    return CaughtReport(
        caught=dict(Counter(one.kind for one in found.caught)),
        why=sorted({f"{one.kind}: {one.why}" for one in found.caught}),
        suspects=len(found.suspects),
        hidden=list(page.hidden),
        spots=sorted(
            {*page.unreached, *(name for path in page.paths if path.number not in lines for name in path.spots)}
        ),
        asks=sorted({one.word for one in found.caught if one.word}),
    )


def sorted_paths(
    shop: Shop, art: Art, rules: tuple[LineRule, ...], meanings: Mapping[Word, Kind] = {}
) -> tuple[VectorPage, Sorted]:
    """The painted paths of vector art and what the rules make of them, words of two meanings as the customer means them."""
    page = read_vectors(shop.blobs.read(art.vectors_sha or ""))
    return page, sort_paths(page.paths, rules, meanings)


def preview_lines(shop: Shop, design_id: int, changes: dict[str, Any]) -> LinesFile:
    """The lines that `changes` would give, on the reduced picture: for the eye while a control moves. Nothing is kept.
    Raises JobError."""
    state = shop.database.within(lambda session: designs.state_of(session, design_id))
    document = state.document.changed(changes)
    width = document.width_mm
    if width is None:
        raise JobError("The design has no size yet.", "size", "Type its width first.")
    if state.art.vectors_sha:
        if state.lines is None or state.lines.areas_sha is None:
            raise JobError("The lines are still being found.", document.name, "Wait a moment.")
        settings = replace(document.settings(), tolerance_mm=max(document.tolerance_mm, PREVIEW_TOLERANCE * width))
        scale = width / (state.art.natural_width_mm or width)
        areas = _scaled(read_areas(shop.blobs.read(state.lines.areas_sha)), scale)
        if settings.follow == "page":
            found, summary = line_round_page(width, designs.height_mm(state.art, width), settings)
        else:
            found, summary = line_from_areas(areas, settings)
        _, ruled = sorted_paths(shop, state.art, state.rules, state.meanings)
        found = [*found, *_caught_lines(ruled, scale, document)]
    else:
        picture = read_picture(shop.blobs.read(state.art.thumb_sha), state.art.file_name)
        coarse = PREVIEW_TOLERANCE_PX * width / picture.width_px
        settings = replace(document.settings(), tolerance_mm=max(document.tolerance_mm, coarse))
        found, summary = line_from_pixels(picture, width, settings)
    # changes by hand count lines that are not all found here
    plain = document.model_copy(update={"line_edits": []})
    return LinesFile(_completed(found, summary, plain).lines, width, designs.height_mm(state.art, width))


def lines_of(shop: Shop, state: DesignState) -> LinesFile | None:
    """The computed lines, or None while there are none."""
    if state.lines is None:
        return None
    return read_lines(shop.blobs.read(state.lines.lines_sha), state.art.file_name)


def plate_areas_of(shop: Shop, state: DesignState, plate: Plate) -> list[Polygon]:
    """The computed areas of white or clear, in design millimetres."""
    sha = (state.lines.white_sha if plate == "white" else state.lines.clear_sha) if state.lines else None
    return read_areas(shop.blobs.read(sha)) if sha else []
