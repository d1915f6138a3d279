"""The plates of a run: for every frame the print files, its lines, its preview, the ink it takes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from shapely import Polygon
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.finishing.piece_outlines import outline_of, pieces_apart
from etiquette.core.finishing.spot_areas import blocker_area
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.planning.problem import Placement
from etiquette.core.planning.weeding import Stroke
from etiquette.core.printing.code_reading import codes_on_page
from etiquette.core.printing.converted import Converted
from etiquette.core.printing.plates import Fills, PlateWish, SpotInk
from etiquette.core.printing.profiles import ProofWish
from etiquette.core.printing.recolouring import Change
from etiquette.core.printing.stack import AGAIN, PlateName, SpecialInk, stack_of
from etiquette.core.production.colours import changes_of
from etiquette.core.production.frames import (
    FrameDesign,
    FrameFiles,
    frame_design,
    frame_title,
    laid_down,
    plate_of,
    seen_through,
    spots_of,
)
from etiquette.files.documents.plates import ArtNote, CodesNote, PlanNote, PlateSetDocument
from etiquette.files.documents.runs import RunDocument
from etiquette.files.lines_svg import LinesFile, write_lines
from etiquette.sandbox.codes import unread_of
from etiquette.sandbox.plates import Seen, frame_files_of, seen_of
from etiquette.stations import designs, runs
from etiquette.stations.copies import fills_of, give, has_its_rows, row_of_copies
from etiquette.stations.kits import Kit
from etiquette.stations.line_finding import find_lines
from etiquette.stations.placed_art import art_of, other_side_of
from etiquette.stations.plate_sets import colour_of, plate_key, plates_of
from etiquette.stations.print.schemas import PlatesMade
from etiquette.stations.schemas import OfDesign, OfRun
from etiquette.stations.shop import Shop
from etiquette.store.models import MorePlate, Plate, now
from etiquette.tasks.task import Outcome, Report

SAMPLE = 200
"""Codes of a frame that are read back, about, where not all are."""
MOST_NAMED = 20
COLUMNS = ("Primer", "White", "Clear", "Height", "Braille")
"""Spots that a plate set keeps in columns of its own, by their names in small letters."""


def make_plates(shop: Shop, wanted: OfRun, report: Report) -> Outcome[PlatesMade]:
    """Task: for every frame of a nested run the PDF, the lines and the preview."""
    run_id = wanted.run_id
    state = shop.database.within(lambda session: runs.state_of(shop, session, run_id))
    if state.trouble:
        raise state.trouble
    if not state.plans:
        raise JobError("The run is not nested as it is now.", state.document.name, "Open it in Run and press N.")
    known = shop.database.within(lambda session: plates_of(session, state))
    if known:
        return Outcome(PlatesMade(plate_ids=[plate.id for plate in known]))
    if not has_its_rows(state):
        shop.database.within(lambda session: give(shop, session, run_id))
        state = shop.database.within(lambda session: runs.state_of(shop, session, run_id))
    state = _with_other_sides(shop, state, report)
    made_designs, fills = _designs(shop, state, report), fills_of(state)
    pieces = runs.pieces_of(shop, state.document, state.designs)
    count = len(state.plans)
    made = []
    for frame in range(count):
        report(
            0.5 + 0.5 * frame / count,
            f"Writing the print file of frame {frame + 1}" if count > 1 else "Writing the print file",
        )
        made.append(_made(shop, state, frame, made_designs, runs.weed_of_frame(state, pieces, frame), fills))

    def publish(session: Session) -> PlatesMade:
        return PlatesMade(plate_ids=[_kept(shop, session, run_id, one) for one in made])

    return Outcome(PlatesMade(plate_ids=[]), publish)


def _with_other_sides(shop: Shop, state: runs.RunState, report: Report) -> runs.RunState:
    """The run once the lines of what is seen from its other sides are found: a page is printed without them. Raises
    JobError."""
    others = {one.other.design.id: one.other for one in state.designs.values() if one.other}
    missing = [number for number, other in others.items() if other.lines is None]
    for number in missing:
        report(0.0, f"Finding the lines of {others[number].document.name}")
        done = find_lines(shop, OfDesign(design_id=number), report)
        done.published(shop.database)
    return shop.database.within(lambda session: runs.state_of(shop, session, state.run.id)) if missing else state


def _printed_by(shop: Shop, kit: Kit) -> dict[str, Any]:
    """The profile of the print mode, as a plate names it."""
    if kit.profile is None or kit.mode is None:
        return {}
    name = kit.profile.description or kit.profile.name
    content = shop.blobs.read(kit.profile.content_sha)
    return {
        "profile": content,
        "profile_name": name,
        "intent": kit.mode.intent,
        "black_point": kit.mode.black_point,
    }


def _converted(shop: Shop, kit: Kit) -> Converted | None:
    """RGB becomes inks here, where the mode says so."""
    colour = colour_of(kit)
    if colour is None or not colour.converted:
        return None
    wish = ProofWish(shop.blobs.read(colour.sha), colour.space, colour.intent, colour.black_point)
    return Converted(wish, colour.keep_black)


def _designs(shop: Shop, state: runs.RunState, report: Report) -> dict[str, FrameDesign]:
    """What is printed and cut of every design; of a run that is only printed, no line."""
    made = {}
    converted = _converted(shop, state.kit)
    for number, (design_id, design) in enumerate(state.designs.items()):
        report(0.5 * number / len(state.designs), f"Placing {design.document.name}")
        file = designs.lines_of(shop, design)
        is_cut = state.document.way != "only"
        assert file is not None or not is_cut  # pieces without lines are refused before
        is_page = state.document.laying == "page"
        outline = outline_of(file.lines) if file and not is_page else designs.rectangle_of(design)
        lines = file.lines if file and is_cut else []
        past = 0.0 if is_page else state.kit.bleed_mm
        tile = design.document.tile
        if tile and state.document.laying == "each":  # all of it is printed but its openings
            outline, past = designs.rectangle_of(design).difference(tile.openings()), 0.0
        ready = frame_design(art_of(shop, design), lines, outline, _spots(shop, design), past)

        def changes(of: designs.DesignState) -> tuple[Change, ...]:
            return changes_of(of.replaced, (of.document.correction(), state.document.correction()), converted)

        other = other_side_of(shop, design)
        of_other = changes(design.other or design) if other else ()
        made[str(design_id)] = replace(
            ready,
            changes=changes(design),
            other=other,
            other_changes=of_other,
            second_surface=design.document.second_surface,
        )
    return made


def _spots(shop: Shop, design: designs.DesignState) -> Mapping[SpotInk, Sequence[Polygon]]:
    """The areas of a design by their inks."""
    document, areas = design.document, designs.areas_of(shop, design)
    spots = spots_of(areas, document.clear_raised, designs.dots_of(design), design.called)
    sides = document.both_sides
    if sides is None or not sides.blocker:
        return spots
    return {**spots, "Blocker": blocker_area(areas["white"], sides.blocker_choke_mm)}


@dataclass(frozen=True)
class _Made:
    """One frame before it is kept."""

    key: str
    files: FrameFiles
    lines: str
    preview: bytes
    summary: PlateSetDocument


def _made(
    shop: Shop,
    state: runs.RunState,
    frame: int,
    made: Mapping[str, FrameDesign],
    weed: Sequence[Stroke],
    fills: Fills | None,
) -> _Made:
    plan, document = state.plans[frame], state.document
    placements = runs.placements_on_frame(document, state.plans, frame)
    title = frame_title(document.name, frame + 1, len(state.plans))
    printed_by = _printed_by(shop, state.kit)
    files = frame_files_of(
        made,
        placements,
        plan,
        state.kit.recipe,
        title,
        PlateWish(document.half_turn, state.stock.ground != "white", state.stock.primer, **printed_by),
        weed,
        now() if document.standard == "pdf/x-4" else None,
        together=document.files == "one",
        fills=fills,
        specials=_specials(state),
    )
    if document.laying == "page":  # a page brings its pieces along
        files = replace(files, lines=pieces_apart(files.lines))
    profile = printed_by.get("profile") if state.kit.profile and state.kit.profile.space == "CMYK" else None
    seen = seen_of(files, title, profile)
    summary = PlateSetDocument(
        plan=PlanNote.of(plan),
        marks=state.kit.recipe,
        name=title,
        stock=state.stock.name,
        frame=frame + 1,
        **_pieces(state, files, placements, fills),
        codes=_read_back(document, plan, files.colour, fills, placements) if fills else None,
        tolerance_mm=state.stock.tolerance_mm,
        **_layers(state, made, files, seen),
        art=_art_notes(files, seen, made, placements),
        half_turn=document.half_turn,
        standard=document.standard,
        mode=state.kit.mode.name if state.kit.mode else "",
        colour=colour_of(state.kit),
        preview_dpi=round(seen.picture_dpi, 1),
        bytes=len(files.colour),
    )
    return _Made(
        plate_key(state, frame), files, write_lines(LinesFile.of_frame(plan, files.lines)), seen.picture, summary
    )


def _specials(state: runs.RunState) -> tuple[SpecialInk, ...]:
    return designs.specials_of(state.designs.values())


def _pieces(
    state: runs.RunState, files: FrameFiles, placements: Sequence[Placement], fills: Fills | None
) -> dict[str, Any]:
    """The pieces of a frame: how many, of which design each, and the row it is filled from."""
    placed, given = tuple(int(placement.id) for placement in placements), row_of_copies(state)
    rows = tuple(given.get((one.id, one.copy), 0) for one in placements) if fills else ()
    if state.document.laying == "page":
        pieces = max((line.piece or 0 for line in files.lines), default=0) or 1
        placed, rows = placed * pieces, rows * pieces
    return {"pieces": len(placed), "placed": placed, "rows": rows}


def _layers(state: runs.RunState, made: Mapping[str, FrameDesign], files: FrameFiles, seen: Seen) -> dict[str, Any]:
    """What lies on what, and how much ink each takes. Raises JobError."""
    from_behind = seen_through(made)
    stack = stack_of(laid_down(made, files, _specials(state), state.document.name), state.document.stack)
    return {
        "order": stack,
        "looks": {ink.name: ink.look for ink in _specials(state) if ink.name in stack},
        "seen_through": from_behind,
        "braille_apart": from_behind and files.spots["Braille"] is not None,
        "inks": _shares(stack, seen),
        "most_ink": round(seen.inks.most, 2),
    }


def _shares(stack: Sequence[PlateName], seen: Seen) -> dict[str, float]:
    """The share of the page that each ink covers, all its layers together."""
    sums: dict[str, float] = {}
    again = [seen.spots["White"]] if AGAIN in stack and "White" in seen.spots else []
    for one in (seen.inks.shares, *seen.spots.values(), seen.other, *again):
        for name, share in one.items():
            sums[name] = sums.get(name, 0.0) + share
    return {name: share for name, share in sums.items() if share > 0}


def _read_back(
    document: RunDocument, plan: FramePlan, pdf: bytes, fills: Fills, placements: Sequence[Placement]
) -> CodesNote | None:
    """Codes of rows read from the plate, some of them evenly over the frame, or all."""
    about = (plan.width_mm, plan.length_mm) if document.half_turn else None
    codes = codes_on_page(fills.copies, placements, about)
    if not codes:
        return None
    step = 1 if document.read_codes == "all" else max(1, len(codes) // SAMPLE)
    looked = codes[::step]
    wrong = unread_of(pdf, looked)
    rows = tuple(looked[number].row for number in wrong[:MOST_NAMED])
    return CodesNote(there=len(codes), looked=len(looked), unread=rows, unread_count=len(wrong))


def _art_notes(
    files: FrameFiles, seen: Seen, made: Mapping[str, FrameDesign], placements: Sequence[Placement]
) -> tuple[ArtNote, ...]:
    """What of each design on the frame can surprise in colour; the plate names them in this order."""
    used = {placement.id for placement in placements}
    names = [name for name in made if name in used]
    return tuple(
        ArtNote(
            design=int(name),
            spaces=tuple(sorted(told.spaces)),
            least_text_pt=told.least_text_pt,
            thin_white_mm=told.thin_white_mm,
            overprint=told.overprint,
            kept=tuple(files.kept.get(name, ())),
        )
        for number, name in enumerate(names, 1)
        if (told := seen.colours.get(f"D{number}"))
    )


def _kept(shop: Shop, session: Session, run_id: int, made: _Made) -> int:
    known = session.scalar(select(Plate).where(Plate.run_id == run_id, Plate.key == made.key))
    if known and known.cleared_at is None:
        return known.id

    def put(content: bytes | None) -> str | None:
        return shop.blobs.put(session, content, "application/pdf") if content else None

    files = made.files
    further = {"other side": files.other, **{plate_of(ink): pdf for ink, pdf in files.spots.items()
                                             if ink not in COLUMNS}}  # fmt: skip
    plate = known or Plate(run_id=run_id, key=made.key)
    held: dict[str, Any] = dict(
        pdf_sha=put(files.colour),
        **{f"{ink.lower()}_sha": put(files.spots[ink]) for ink in COLUMNS},
        more=[MorePlate(name=name, sha=sha) for name, pdf in further.items() if (sha := put(pdf))],
        lines_sha=shop.blobs.put(session, made.lines.encode(), "image/svg+xml"),
        preview_sha=shop.blobs.put(session, made.preview, "image/png"),
        summary=made.summary,
        cleared_at=None,
    )
    for name, value in held.items():
        setattr(plate, name, value)
    session.add(plate)
    session.flush()
    return plate.id
