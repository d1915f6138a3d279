"""Lines while a control moves, and line rules before they are kept: quickly, and nothing is written."""

from dataclasses import replace
from typing import Any

from etiquette.core.artwork.line_rules import LineRule, sort_paths
from etiquette.core.artwork.raster import read_picture
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import (
    FinishLine,
    line_from_areas,
    line_from_pixels,
    line_round_page,
)
from etiquette.core.finishing.merging import merged
from etiquette.core.production.designs import caught_lines, completed, scaled
from etiquette.files.documents.lines import CaughtReport
from etiquette.files.lines_svg import LinesFile
from etiquette.files.vectors import read_areas, read_vectors
from etiquette.stations import designs
from etiquette.stations.line_finding import PREVIEW_TOLERANCE, PREVIEW_TOLERANCE_PX, _caught_note, sorted_paths
from etiquette.stations.shop import Shop


def try_rules(shop: Shop, design_id: int, rules: tuple[LineRule, ...]) -> tuple[CaughtReport, list[str]]:
    """What `rules` would catch in a design's art, and the names of its layers and spots. Raises JobError."""
    state = shop.database.within(lambda session: designs.state_of(session, design_id))
    if not state.art.vectors_sha:
        raise JobError(
            "A picture has no paths that rules could catch.", state.document.name, "Choose a PDF, SVG or DXF."
        )
    page = read_vectors(shop.blobs.read(state.art.vectors_sha))
    found = sort_paths(page.paths, rules)
    return _caught_note(page, found), sorted({name for path in page.paths for name in (*path.layers, *path.spots)})


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
        areas = scaled(read_areas(shop.blobs.read(state.lines.areas_sha)), scale)
        found: list[FinishLine] = []
        if document.follow == "page":
            found = line_round_page(width, designs.height_mm(state.art, width), settings).lines
        elif document.follow != "none":  # else the art brings its own
            found = line_from_areas(areas, settings).lines
        _, ruled = sorted_paths(shop, state)
        own = caught_lines(ruled, scale, document.join_mm)
        found = [*found, *(merged(own, settings.tolerance_mm) if document.merge_own else own)]
    else:
        picture = read_picture(shop.blobs.read(state.art.thumb_sha), state.art.file_name)
        coarse = PREVIEW_TOLERANCE_PX * width / picture.width_px
        settings = replace(document.settings(), tolerance_mm=max(document.tolerance_mm, coarse))
        found = line_from_pixels(picture, width, settings).lines
    # changes by hand count lines that are not all found here
    plain = replace(document.to_settings(), changes=())
    return LinesFile(completed(found, plain), width, designs.height_mm(state.art, width))
