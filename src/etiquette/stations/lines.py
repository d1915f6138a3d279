"""Lines: find the finish lines of a design, exactly and, while a control moves, quickly."""

from collections import Counter
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np
from pydantic import BaseModel
from shapely import affinity
from sqlalchemy.orm import Session

from etiquette.core.artwork.line_rules import LineRule, Sorted, sort_paths
from etiquette.core.artwork.raster import Picture, png_of, read_picture
from etiquette.core.artwork.vectors import VectorPage
from etiquette.core.errors import JobError
from etiquette.core.finishing.bleed import State, bled, bleed_along, laid_over, region_of
from etiquette.core.finishing.checks import Finding, check_lines
from etiquette.core.finishing.coverage import Field, coverage, find_ground
from etiquette.core.finishing.lines import (
    FinishLine,
    LineReport,
    line_from_areas,
    line_from_pixels,
    report_of,
)
from etiquette.core.finishing.more_lines import joined, with_more
from etiquette.core.geometry.paths import Path, Points
from etiquette.core.geometry.pens import SvgPen
from etiquette.files.lines_svg import LinesFile, read_lines, write_lines
from etiquette.files.vectors import read_areas, read_vectors
from etiquette.stations import designs
from etiquette.stations.designs import DesignDocument, DesignState
from etiquette.stations.shop import Shop
from etiquette.store.models import Art, LineResult
from etiquette.work.art_reader import Separated, separate
from etiquette.work.tasks import Outcome, Report

PREVIEW_TOLERANCE_PX = 0.5
PREVIEW_TOLERANCE = 0.002
"""How closely quick lines of vector art follow, as a share of its width."""


class CaughtReport(BaseModel):
    """What the line rules made of vector art: paths caught by kind, and paths that look like lines but were not."""

    caught: dict[str, int]
    why: list[str]
    suspects: int
    hidden: list[str]
    left_out: list[str] = []
    """What was taken out of the file because it must not run or be fetched."""


class BleedStretch(BaseModel):
    """A stretch of a line along which bleed is full or short; `d` is SVG path data in mm, y down."""

    state: State
    d: str


class BleedReport(BaseModel):
    """Where bleed is short, and where the picture of the print lies (x, y, width, height in design mm, y up)."""

    short_mm: float
    stretches: list[BleedStretch]
    box: tuple[float, float, float, float]


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
                print_sha=kept(parts and parts.pdf, "application/pdf"),
                print_picture_sha=kept(found.print_picture or (parts and parts.picture), "image/png"),
                under_sha=kept(found.under, "image/png"),
                areas_sha=kept(parts and parts.areas, "application/json"),
                summary={
                    **asdict(found.report),
                    "caught": found.caught and found.caught.model_dump(),
                    "bleed": found.bleed and found.bleed.model_dump(),
                    "findings": [asdict(one) for one in found.findings],
                },
            )
        )

    return Outcome({"key": key}, publish)


def _from_picture(shop: Shop, state: DesignState, report: Report) -> Found:
    document = state.document
    report(0.05, "Reading the picture")
    picture = read_picture(shop.blobs.read(state.art.picture_sha), state.art.file_name)
    if document.follow == "none":
        raise JobError("A picture holds no lines of its own.", document.name, "Choose what the line follows.")
    lines, summary = line_from_pixels(picture, document.width_mm or 0.0, document.settings(), lambda share, words: report(share, words))  # fmt: skip
    report(0.9, "Looking at the bleed")
    share = coverage(picture, find_ground(picture, document.ground), document.distance) if document.bleed_mm else picture.alpha  # fmt: skip
    done = _completed(lines, summary, document)
    size = (document.width_mm or 0.0, state.height_mm or 0.0)
    done = replace(done, findings=tuple(check_lines(done.lines, size, tolerance_mm=document.tolerance_mm)))
    return _with_bleed(done, picture, share, document, under=False)


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
    kept = {"max_deviation_mm": summary.max_deviation_mm, "mean_deviation_mm": summary.mean_deviation_mm}
    return Found(every, replace(whole, **kept))


def _edited(lines: list[FinishLine], document: DesignDocument) -> list[FinishLine]:
    """`lines` with the changes made by hand: other kinds, and lines taken out."""
    edits = {edit.line: edit.kind for edit in document.line_edits}
    kept = [
        FinishLine(edits.get(number) or line.kind, line.path)
        for number, line in enumerate(lines)
        if edits.get(number, line.kind) is not None
    ]
    if not kept:
        raise JobError("Every line was taken out by hand.", document.name, "Undo, or let the line follow the art.")
    return kept


def _from_vectors(shop: Shop, state: DesignState, report: Report) -> Found:
    document, art = state.document, state.art
    report(0.05, "Sorting the paths by the line rules")
    page, found = sorted_paths(shop, art, state.rules)
    scale = (document.width_mm or 0.0) / page.width_mm
    report(0.2, "Taking the lines out of the print")
    separated = separate(
        shop.blobs.read(art.content_sha),
        art.file_name,
        {caught.path.number: caught.removal for caught in found.caught},
        areas=True,
    )
    caught = joined(
        [
            FinishLine(one.kind, path.mapped(lambda points: points * scale))
            for one in found.caught
            for path in one.path.paths
        ]
    )
    note = _caught_note(page, found).model_copy(update={"left_out": list(separated.left_out)})
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
        assert separated.areas is not None
        areas = [affinity.scale(area, scale, scale, origin=(0, 0)) for area in read_areas(separated.areas)]
        round_it, summary = line_from_areas(areas, document.settings(), lambda share, words: report(share, words))
        own = [*round_it, *caught]
        whole = report_of(own, [], summary.ground, summary.specks_left_out, summary.warnings)
        summary = replace(whole, max_deviation_mm=summary.max_deviation_mm, mean_deviation_mm=summary.mean_deviation_mm)
    done = replace(_completed(own, summary, document), caught=note, separated=separated)
    strokes = [path.mapped(lambda points: points * scale) for suspect in found.suspects for path in suspect.paths]
    size = (document.width_mm or 0.0, state.height_mm or 0.0)
    made = document.follow != "none"
    findings = tuple(check_lines(done.lines, size, strokes, made, document.tolerance_mm))
    done = replace(done, findings=findings)
    report(0.9, "Looking at the bleed")
    picture = read_picture(separated.picture, art.file_name)
    return _with_bleed(done, picture, picture.alpha, document, under=True)


def try_rules(shop: Shop, design_id: int, rules: tuple[LineRule, ...]) -> tuple[CaughtReport, list[str]]:
    """What `rules` would catch in a design's art, and the names of its layers and spots. Raises JobError."""
    state = shop.database.within(lambda session: designs.state_of(session, design_id))
    if not state.art.vectors_sha:
        raise JobError("A picture has no paths that rules could catch.", state.document.name, "Choose a PDF, SVG or DXF.")  # fmt: skip
    page, found = sorted_paths(shop, state.art, rules)
    return _caught_note(page, found), sorted({name for path in page.paths for name in (*path.layers, *path.spots)})


def _caught_note(page: VectorPage, found: Sorted) -> CaughtReport:
    return CaughtReport(
        caught=dict(Counter(one.kind for one in found.caught)),
        why=sorted({f"{one.kind}: {one.why}" for one in found.caught}),
        suspects=len(found.suspects),
        hidden=list(page.hidden),
    )


def sorted_paths(shop: Shop, art: Art, rules: tuple[LineRule, ...]) -> tuple[VectorPage, Sorted]:
    """The painted paths of vector art and what the rules make of them."""
    page = read_vectors(shop.blobs.read(art.vectors_sha or ""))
    return page, sort_paths(page.paths, rules)


def preview_lines(shop: Shop, design_id: int, changes: dict[str, Any]) -> LinesFile:
    """The lines that `changes` would give, on the reduced picture: for the eye while a control moves. Nothing is kept.
    Raises JobError."""
    state = shop.database.within(lambda session: designs.state_of(session, design_id))
    document = DesignDocument(**{**state.design.document, **changes})
    width = document.width_mm
    if width is None:
        raise JobError("The design has no size yet.", "size", "Type its width first.")
    if state.art.vectors_sha:
        if state.lines is None or state.lines.areas_sha is None:
            raise JobError("The lines are still being found.", document.name, "Wait a moment.")
        settings = replace(document.settings(), tolerance_mm=max(document.tolerance_mm, PREVIEW_TOLERANCE * width))
        scale = width / (state.art.natural_width_mm or width)
        areas = [affinity.scale(a, scale, scale, origin=(0, 0)) for a in read_areas(shop.blobs.read(state.lines.areas_sha))]  # fmt: skip
        found, summary = line_from_areas(areas, settings)
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
