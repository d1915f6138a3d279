"""The pair of files of a label web."""

from collections.abc import Mapping
from dataclasses import replace

from sqlalchemy import delete
from sqlalchemy.orm import Session

from etiquette.core.artwork.raster import read_picture
from etiquette.core.cutting.web_pairs import WebFiles, die_line, label_design
from etiquette.core.errors import JobError
from etiquette.core.finishing.bleed import bled, inside, region_of
from etiquette.core.planning.web_shapes import Place
from etiquette.core.printing.art_forms import Art, PageArt, PictureArt
from etiquette.core.printing.plates import PlateWish
from etiquette.core.production.colours import changes_of
from etiquette.core.production.frames import FrameDesign, spots_of
from etiquette.files.documents.webs import WebDocument
from etiquette.sandbox.plates import seen_of
from etiquette.sandbox.web_pairs import pair_of
from etiquette.stations import designs, line_finding
from etiquette.stations.designs import DesignState
from etiquette.stations.placed_art import art_of
from etiquette.stations.rows import Rows, rows_of
from etiquette.stations.run import web_rows
from etiquette.stations.run.web_labels import middle_on, own_cut, reaches_its_line
from etiquette.stations.run.web_schemas import OfWeb, WebMade
from etiquette.stations.run.webs import key_of, web_there
from etiquette.stations.schemas import OfDesign
from etiquette.stations.shop import Shop
from etiquette.store.models import ColourProfile, PrintMode, WebPart
from etiquette.tasks.task import Outcome, Report


def make_files(shop: Shop, wanted: OfWeb, report: Report) -> Outcome[WebMade]:
    """Task: the pair of files of a web as it is now, read back before it is kept. Raises JobError."""
    document, states = shop.database.within(lambda session: _state(session, wanted.web_id))
    if why := document.what_is_wrong():
        raise JobError(" ".join(why), document.name, "Change it on the drawing, then make the files.")
    for number, state in enumerate(states.values()):
        if state.lines is None and state.lines_key is not None:
            report(0.4 * number / len(states), f"Finding the lines of {state.document.name}")
            _find(shop, state)
    document, states = shop.database.within(lambda session: _state(session, wanted.web_id))
    made = {}
    for number, (design_id, state) in enumerate(states.items()):
        report(0.4 + 0.3 * number / len(states), f"Placing {state.document.name}")
        made[str(design_id)] = _label(shop, state, document)
    report(0.8, "Writing the pair of files")
    across = [str(design_id) for design_id in document.designs]
    filling = shop.database.within(lambda session: _rows(shop, session, states))
    files, wrong = pair_of(
        document.name,
        web=document.to_web(),
        designs=made,
        across=across,
        mark=document.to_mark(),
        look=document.to_look(),
        wish=PlateWish(),
        cylinder=document.cylinder.to_cylinder() if document.cylinder else None,
        station=document.to_station_boxes(),
        specials=designs.specials_of(states.values()),
    )
    if wrong:
        raise JobError(f"The files do not match. {' '.join(wrong)}", document.name, "Tell us: this is our mistake.")
    inks = _inks(shop, document, files)
    if filling:
        report(0.85, "Filling the labels from their rows")
        files = web_rows.filled(files, document, made, filling)
    key = key_of(document, states)
    return Outcome(WebMade(web_id=wanted.web_id), lambda session: _keep(shop, session, wanted.web_id, key, files, inks))


def _find(shop: Shop, state: DesignState) -> None:
    """A label that is cut on its art's own line lies by it. Raises JobError where what is printed hangs on lines; a
    picture that has none lies by its middle."""
    try:
        done = line_finding.find_lines(shop, OfDesign(design_id=state.design.id), lambda *_: True)
    except JobError:
        if _taken_apart(state):
            raise
    else:
        done.published(shop.database)


def _taken_apart(state: DesignState) -> bool:
    """Whether what is printed of a label is known only when its lines are: of a page, and of any inks of its own."""
    document = state.document
    own = document.white != "none" or document.clear != "none" or document.specials or document.marked
    return bool(state.art.vectors_sha or own or document.white_art_id or document.clear_art_id)


def _rows(shop: Shop, session: Session, states: Mapping[int, DesignState]) -> dict[str, Rows]:
    """What labels are filled from, by design."""
    filled = {key: one for key, one in states.items() if one.document.rows and one.document.rows.fields}
    return {str(key): found for key, one in filled.items() if (found := rows_of(shop, session, one))}


def _state(session: Session, web_id: int) -> tuple[WebDocument, dict[int, DesignState]]:
    document = web_there(session, web_id).document
    return document, designs.states_of(session, list(dict.fromkeys(document.designs)))


def _inks(shop: Shop, document: WebDocument, files: WebFiles) -> dict[str, float]:
    """The share of a page that each ink covers, through the profile of the print mode where it has one."""

    def profile_of(session: Session) -> bytes | None:
        mode = session.get(PrintMode, document.print_mode_id or 0)
        profile = session.get(ColourProfile, mode.colour_profile_id or 0) if mode else None
        return shop.blobs.read(profile.content_sha) if profile and profile.space == "CMYK" else None

    profile = shop.database.within(profile_of)
    seen = seen_of(files.printed, document.name, profile)
    found = dict(seen.inks.shares)
    for shares in seen.spots.values():
        found |= shares
    return {name: round(share, 5) for name, share in found.items() if share > 0}


def _keep(shop: Shop, session: Session, web_id: int, key: str, files: WebFiles, inks: Mapping[str, float]) -> None:
    web_there(session, web_id).inks = dict(inks)
    plates = {f"{ink.lower()}.pdf": plate for ink, plate in files.printed.spots.items() if plate}
    held = {"print.pdf": files.printed.colour, **plates}
    if not web_there(session, web_id).document.feeding.cut_already:
        held |= {"cut.pdf": files.cut_pdf, "cut.dxf": files.cut_dxf}
        held |= {"plate.dxf": files.plate_dxf} if files.plate_dxf else {}
    session.execute(delete(WebPart).where(WebPart.web_id == web_id))
    for name, content in held.items():
        media = "application/pdf" if name.endswith(".pdf") else "application/dxf"
        sha = shop.blobs.put(session, content, media)
        session.add(WebPart(web_id=web_id, name=name, content_sha=sha, key=key))


def _label(shop: Shop, state: DesignState, document: WebDocument) -> FrameDesign:
    web = document.to_web()
    middle = middle_on(state, web.label)
    if state.document.both_sides:
        what = f"{state.document.name} is seen from both sides, which labels on a web are not."
        raise JobError(what, state.document.name, "Take that back in Lines, or print it in a run.")
    areas = designs.areas_of(shop, state)
    art = _reaching(shop, state, middle, document)
    ready = label_design(art, middle, web, spots_of(areas, state.document.clear_raised, called=state.called))
    return replace(ready, changes=changes_of(state.replaced, (state.document.correction(),), None))


def _reaching(shop: Shop, state: DesignState, middle: Place, document: WebDocument) -> Art:
    """The art of a label, its edge carried outward where it ends before the bleed of the label does: the art's edge, or
    its own line where it is cut there. A bare border that it was given in Lines stays bare."""
    web, art = document.to_web(), art_of(shop, state)
    region = region_of([die_line(web.label, middle)], web.bleed_mm)
    whole, own = designs.rectangle_of(state), own_cut(state, web.label)
    grown = art.under if isinstance(art, PageArt) else art.place
    ends = (own or whole).buffer(1e-6)
    if grown or (own and not reaches_its_line(state)) or all(ends.covers(part) for part in region):
        return art
    drawn = art.picture if isinstance(art, PictureArt) else read_picture(
        shop.blobs.read(state.art.picture_sha), state.art.file_name
    )  # fmt: skip
    share = inside(drawn, own, whole.bounds[2]) if own else drawn.alpha
    made = bled(drawn, share, region, whole.bounds[2], under=isinstance(art, PageArt))
    under = PictureArt(made.picture, art.width_mm, art.height_mm, art.clip, made.box)
    return replace(art, under=under) if isinstance(art, PageArt) else under
