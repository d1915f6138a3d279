"""The designs of a run from RUN.json: art read in the limited child, made ready as a station does."""

from collections.abc import Mapping, Set
from dataclasses import dataclass, replace
from pathlib import Path

from shapely import Polygon

from etiquette.cli.folders import read_beside
from etiquette.core.artwork.arrangement import Arrangement
from etiquette.core.artwork.forms import form_of
from etiquette.core.artwork.line_rules import DEFAULT_RULES, sort_paths
from etiquette.core.artwork.raster import read_picture, width_mm_of
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.finishing.piece_outlines import outline_of
from etiquette.core.finishing.spot_areas import blocker_area
from etiquette.core.marking.marks import printed_past_mm
from etiquette.core.printing.art_forms import Art, PageArt, PictureArt, other_side
from etiquette.core.printing.converted import Converted
from etiquette.core.printing.recolouring import Change
from etiquette.core.production.colours import changes_of
from etiquette.core.production.designs import ReadyDesign, ready_marked_picture, ready_page
from etiquette.core.production.frames import FrameDesign, frame_design, spots_of
from etiquette.files.contracts import parse_file
from etiquette.files.line_rules import RulesFile
from etiquette.files.lines_svg import LinesFile, read_lines, write_lines
from etiquette.files.run_design_file import RunDesignFile
from etiquette.files.run_file import RunFile
from etiquette.files.vectors import read_areas, read_vectors, write_areas
from etiquette.sandbox.art import ArtRead, arrange, read_art, separate
from etiquette.sandbox.parts import parts_of


@dataclass(frozen=True)
class _Read:
    """A design with its art read, for the back of its stock turned over."""

    art: Art
    ready: ReadyDesign
    size: tuple[float, float]
    changes: tuple[Change, ...]


def designs_of(run: RunFile, folder: Path, used: Set[str], converted: Converted | None) -> dict[str, FrameDesign]:
    """Those of the run that are placed (`used`); one that is seen from the other side of another need not be. Paths
    start at `folder`. Raises JobError."""
    shown = {one.both_sides.other for one in run.designs if one.both_sides and one.id in used}
    wishes = {one.id: one for one in run.designs if one.id in used | shown}
    read = {name: _read(wish, run, folder, converted) for name, wish in wishes.items()}
    return {name: _design(wish, run, read, wishes) for name, wish in wishes.items() if name in used}


def _read(wish: RunDesignFile, run: RunFile, folder: Path, converted: Converted | None) -> _Read:
    content = read_beside(folder, wish.art)
    pages = read_art(content, wish.art)
    if wish.page > len(pages):
        raise JobError(f"The file has {len(pages)} pages.", wish.art, "Give one of them.")
    given = read_lines(read_beside(folder, wish.lines), wish.lines).lines if wish.lines else None
    page = pages[wish.page - 1]
    if wish.second_surface:
        page = arrange(page.content, wish.art, Arrangement().mirrored())
        content = page.content
    if form_of(content) == "picture":
        art, ready, size = from_picture(wish, page, content, given)
    else:
        art, ready, size = from_vectors(wish, page, folder, given)
    if not ready.lines:
        raise JobError("The design has no finish line.", wish.id, "Give it a lines file.")
    replaced, corrections = [one.to_replaced() for one in wish.replaced], (wish.correction(), run.correction())
    return _Read(art, ready, size, changes_of(replaced, corrections, converted))


def _design(
    wish: RunDesignFile, run: RunFile, read: Mapping[str, _Read], wishes: Mapping[str, RunDesignFile]
) -> FrameDesign:
    own = read[wish.id]
    # as the files that a station keeps say it: rounded, so that both ways give the same plates
    lines = read_lines(write_lines(LinesFile(own.ready.lines, *own.size)).encode(), wish.id).lines
    areas = {plate: read_areas(write_areas(list(made))) for plate, made in own.ready.spots.items()}
    spots = spots_of(areas, wish.clear_raised, called={ink: ink for ink in wish.inks()})
    sides = wish.both_sides
    if sides and sides.blocker:
        spots = {**spots, "Blocker": blocker_area(areas["white"], sides.blocker_choke_mm)}
    made = frame_design(own.art, lines, outline_of(lines), spots, printed_past_mm(run.gap_mm))
    made = replace(made, changes=own.changes, second_surface=wish.second_surface)
    if sides is None:
        return made
    shown, of = read[sides.other or wish.id], wishes[sides.other or wish.id]
    mirrored = of is wish or of.second_surface == wish.second_surface
    other = other_side(shown.art, shown.size, shown.ready.bleed.place, own.size, mirrored)
    return replace(made, other=other, other_changes=shown.changes)


def from_picture(
    wish: RunDesignFile, page: ArtRead, content: bytes, given: list[FinishLine] | None
) -> tuple[Art, ReadyDesign, tuple[float, float]]:
    picture = read_picture(page.picture, wish.art)
    width = wish.width_mm or page.width_mm or width_mm_of(picture)
    size = (width, width * picture.height_px / picture.width_px)
    colours = wish.marks()["colour"]
    ready = ready_marked_picture(picture, width, wish.to_settings(), {}, colours, wish.marked_within, given)
    if ready.picture is None:
        return PictureArt(picture, *size, Polygon(), source=content), ready, size
    return PictureArt(ready.picture, *size, Polygon(), ready.bleed.place), ready, size


def from_vectors(
    wish: RunDesignFile, page: ArtRead, folder: Path, given: list[FinishLine] | None
) -> tuple[Art, ReadyDesign, tuple[float, float]]:
    if page.vectors is None or page.natural_mm is None:
        raise JobError("The file holds no drawing.", wish.art, "Use a PDF, SVG or DXF.")
    width = wish.width_mm or page.width_mm
    if width is None:
        raise JobError("The file does not say how large it is.", wish.art, "Give its width.")
    rules = (
        parse_file(RulesFile, read_beside(folder, wish.rules), wish.rules).to_rules() if wish.rules else DEFAULT_RULES
    )
    vectors = read_vectors(page.vectors)
    found = sort_paths(vectors.paths, rules)
    marked = wish.marks()
    removals, layers = {one.path.number: one.removal for one in found.caught}, marked["layer"]
    separated = separate(
        page.content, wish.art, removals, marked["spot"], {"colours": marked["colour"], "layers": layers}
    )
    own = bool(found.caught) and given is None
    settings = wish.to_settings(own_lines_only=own)
    ready = ready_page(parts_of(vectors, found, separated, wish.art), width, settings, {}, given)
    size = (width, page.natural_mm[1] * width / page.natural_mm[0])
    under = PictureArt(ready.under, *size, Polygon(), ready.bleed.place) if ready.under else None
    return PageArt(separated.pdf, *size, Polygon(), under), ready, size
