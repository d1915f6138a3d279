"""Label webs: begun from designs, edited, and made into their pair of files."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import shapely
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from etiquette.core.artwork.raster import read_picture
from etiquette.core.cutting.web_pairs import WebFiles, die_line, disagreements, label_design, web_files
from etiquette.core.errors import JobError, NotThere
from etiquette.core.finishing.bleed import bled, region_of
from etiquette.core.printing.plates import Art, PageArt, PictureArt, PlateWish
from etiquette.core.production.colours import changes_of
from etiquette.core.production.designs import PLATES
from etiquette.core.production.frames import FrameDesign, spots_of
from etiquette.files.documents.webs import WebDocument
from etiquette.files.web_file import LabelFile, RollsFile
from etiquette.stations import designs, edits, line_finding
from etiquette.stations.designs import DesignState
from etiquette.stations.placed_art import art_of
from etiquette.stations.run.web_schemas import OfWeb, WebMade
from etiquette.stations.schemas import OfDesign
from etiquette.stations.shop import Shop
from etiquette.store.models import Finisher, LabelWeb, Stock, WebPart
from etiquette.tasks.task import Outcome, Report

WEB_RECIPE = 1
"""Goes into the key of the files: raise it when the way they are made changes."""
FIRST_GAP_MM = 4.0
"""Between labels of a new web, and twice its bleed: a strip of waste as wide as this comes off in one piece."""
FIRST_WIDTH_MM = 200.0
NARROW_MM = 10.0
"""A new web is no wider than its labels and this much on each side, where no stock says how wide it is."""


def web_there(session: Session, web_id: int) -> LabelWeb:
    """Raises NotThere."""
    row = session.get(LabelWeb, web_id)
    if row is None:
        raise NotThere("There is no such label web.", f"web {web_id}", "Go back to Run and choose one that is there.")
    return row


def begin(session: Session, design_ids: Sequence[int]) -> int:
    """A web of these designs beside each other, each as large as the first is: all of it can be changed. Raises
    NotThere, JobError."""
    states = list(designs.states_of(session, design_ids).values())
    first = states[0]
    width, height = first.document.width_mm, first.height_mm
    if width is None or height is None:
        raise JobError("The size of the art is not known.", first.document.name, "Open it in Lines and type its width.")
    columns = len(states)
    wide = columns * width + (columns - 1) * FIRST_GAP_MM
    bleed = first.document.bleed_mm
    document = WebDocument(
        name=first.document.name[:120],
        designs=[state.design.id for state in states],
        label=LabelFile(width_mm=round(width, 3), height_mm=round(height, 3)),
        width_mm=max(FIRST_WIDTH_MM, wide + 2 * (NARROW_MM + bleed)),
        columns=columns,
        gap_across_mm=FIRST_GAP_MM if columns > 1 else 0.0,
        gap_along_mm=FIRST_GAP_MM,
        bleed_mm=min(bleed, FIRST_GAP_MM / 2),
        rolls=RollsFile(count=sum(state.document.due_count for state in states)),
    )
    row = LabelWeb(document=document)
    session.add(row)
    session.flush()
    return row.id


def change(session: Session, web_id: int, revision: int, words: str, changes: dict[str, Any]) -> None:
    """One edit; a stock brings its width along. Raises NotThere, Stale."""
    stock_id = changes.get("stock_id")
    if stock_id is not None:
        stock = session.get(Stock, stock_id)
        if stock is None:
            raise NotThere("There is no such stock.", f"stock {stock_id}", "Choose one that stands on the Shelf.")
        changes = {"width_mm": stock.width_mm, **changes}
    if "width_mm" in changes and "stock_id" not in changes:
        changes = {**changes, "stock_id": None}
    if "designs" in changes:
        designs.states_of(session, changes["designs"])
    edits.apply(session, "web", web_id, revision, words, changes)


def key_of(document: WebDocument, states: Mapping[int, DesignState]) -> str:
    """Names all that the files are made from."""
    values = document.model_dump(mode="json", exclude={"rolls", "applicator", "stock_id", "print_mode_id"})
    arts = [
        [state.art.content_sha, state.lines_key, state.document.width_mm, state.document.model_dump(mode="json")]
        for state in states.values()
    ]
    return hashlib.sha256(json.dumps([WEB_RECIPE, values, arts], sort_keys=True).encode()).hexdigest()


def keep_finisher(session: Session, name: str, rules: dict[str, Any]) -> None:
    """Under this name from now on."""
    row = session.scalar(select(Finisher).where(Finisher.name == name).with_for_update())
    if row is None:
        session.add(Finisher(name=name, rules=rules))
    else:
        row.rules = rules


def take_finisher_away(session: Session, finisher_id: int) -> None:
    """Webs that took its rules keep them. Raises NotThere."""
    row = session.get(Finisher, finisher_id)
    if row is None:
        raise NotThere("There is no such finisher.", f"finisher {finisher_id}", "Look at the list again.")
    session.delete(row)


def parts_of_web(session: Session, web_id: int) -> list[WebPart]:
    """What is printed first, then what is cut."""
    return list(session.scalars(select(WebPart).where(WebPart.web_id == web_id).order_by(WebPart.name.desc())))


def part_there(session: Session, web_id: int, name: str) -> WebPart:
    """Raises NotThere."""
    part = session.get(WebPart, (web_id, name))
    if part is None:
        raise NotThere(f"There is no {name} of this web.", f"web {web_id}", "Make its files first.")
    return part


def make_files(shop: Shop, wanted: OfWeb, report: Report) -> Outcome[WebMade]:
    """Task: the pair of files of a web as it is now, read back before it is kept. Raises JobError."""
    document, states = shop.database.within(lambda session: _state(session, wanted.web_id))
    if why := document.what_is_wrong():
        raise JobError(" ".join(why), document.name, "Change it on the drawing, then make the files.")
    for number, state in enumerate(states.values()):
        if state.lines is None and state.art.vectors_sha:  # only then its page is taken apart
            report(0.4 * number / len(states), f"Finding the lines of {state.document.name}")
            done = line_finding.find_lines(shop, OfDesign(design_id=state.design.id), lambda *_: True)
            done.published(shop.database)
    document, states = shop.database.within(lambda session: _state(session, wanted.web_id))
    made = {}
    for number, (design_id, state) in enumerate(states.items()):
        report(0.4 + 0.3 * number / len(states), f"Placing {state.document.name}")
        made[str(design_id)] = _label(shop, state, document)
    report(0.8, "Writing the pair of files")
    across = [str(design_id) for design_id in document.designs]
    files = web_files(
        document.to_web(),
        made,
        across,
        document.to_mark(),
        document.name,
        document.to_look(),
        PlateWish(),
        document.cylinder.to_cylinder() if document.cylinder else None,
    )
    if wrong := disagreements(files):
        raise JobError(f"The files do not match. {' '.join(wrong)}", document.name, "Tell us: this is our mistake.")
    key = key_of(document, states)
    return Outcome(WebMade(web_id=wanted.web_id), lambda session: _keep(shop, session, wanted.web_id, key, files))


def _state(session: Session, web_id: int) -> tuple[WebDocument, dict[int, DesignState]]:
    document = web_there(session, web_id).document
    return document, designs.states_of(session, list(dict.fromkeys(document.designs)))


def _keep(shop: Shop, session: Session, web_id: int, key: str, files: WebFiles) -> None:
    plates = {f"{ink.lower()}.pdf": plate for ink, plate in files.printed.spots.items() if plate}
    held = {"print.pdf": files.printed.colour, **plates, "cut.pdf": files.cut_pdf, "cut.dxf": files.cut_dxf}
    held |= {"plate.dxf": files.plate_dxf} if files.plate_dxf else {}
    session.execute(delete(WebPart).where(WebPart.web_id == web_id))
    for name, content in held.items():
        media = "application/pdf" if name.endswith(".pdf") else "application/dxf"
        sha = shop.blobs.put(session, content, media)
        session.add(WebPart(web_id=web_id, name=name, content_sha=sha, key=key))


def _label(shop: Shop, state: DesignState, document: WebDocument) -> FrameDesign:
    web = document.to_web()
    size = state.document.width_mm or 0.0, state.height_mm or 0.0
    if not all(size):
        raise JobError("The size of the art is not known.", state.document.name, "Open it in Lines and type its width.")
    areas = {plate: designs.plate_areas_of(shop, state, plate) for plate in PLATES}
    art = _reaching(shop, state, size, document)
    ready = label_design(art, size, web, spots_of(areas, state.document.clear_raised))
    return replace(ready, changes=changes_of(state.replaced, (state.document.correction(),), None))


def _reaching(shop: Shop, state: DesignState, size: tuple[float, float], document: WebDocument) -> Art:
    """The art of a label, its edge carried outward where it ends before the bleed of the label does."""
    web, art = document.to_web(), art_of(shop, state)
    region = region_of([die_line(web.label, size)], web.bleed_mm)
    whole = shapely.box(0, 0, *size)
    grown = art.under if isinstance(art, PageArt) else art.place
    if grown or all(whole.buffer(1e-6).covers(part) for part in region):
        return art
    drawn = art.picture if isinstance(art, PictureArt) else read_picture(
        shop.blobs.read(state.art.picture_sha), state.art.file_name
    )  # fmt: skip
    made = bled(drawn, drawn.alpha, region, size[0], under=isinstance(art, PageArt))
    under = PictureArt(made.picture, *size, art.clip, made.box)
    return replace(art, under=under) if isinstance(art, PageArt) else under
