"""A design larger than its stock is taken apart: every tile becomes a design of its own in the same job, whose art is a
part of the whole. So a tile has lines, plates, a frame, a count and a history like anything else."""

import hashlib
import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.artwork.arrangement import Arrangement, Box
from etiquette.core.artwork.raster import read_picture
from etiquette.core.errors import JobError
from etiquette.core.marking.tile_marks import ROOM_MM
from etiquette.core.planning.tiles import Seams, Tile, TileWish, seams_by_content, seams_even, tiles, turn_of, wanted
from etiquette.core.production.tile_files import ticks_of
from etiquette.files.documents.designs import DesignDocument
from etiquette.files.documents.tiles import TickDocument, TileDocument, TilesDocument
from etiquette.sandbox.art import ArtRead, arrange, cut_up
from etiquette.stations import edits, run_edits, whole
from etiquette.stations.designs import DesignState, state_of
from etiquette.stations.kits import kit_of, room_mm
from etiquette.stations.lines.taking_in import keep_art
from etiquette.stations.lines.tile_inks import Inks, inks_of_tiles
from etiquette.stations.lines.tiles_schemas import SeamsFound, TilesMade
from etiquette.stations.schemas import OfDesign
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Laminator, Roll, Stock
from etiquette.store.rows import loaded
from etiquette.tasks.task import Outcome, Report

TILE_RECIPE = 1
"""Goes into the key of tiles: raise it when the way they are made changes."""
NOT_OF_A_TILE: dict[str, Any] = {
    "arranged": None, "follow": "page", "offset_mm": 0.0, "corner_mm": 0.0, "smooth_mm": 0.0, "area": None, "more": [],
    "line_edits": [], "bleed_mm": 0.0, "tiles": None, "rows": None, "picked": None, "own_marks": None,
    "turning": "none", "ready": True, "kind": "through", "join": "mitre", "white_art_id": None, "clear_art_id": None,
}  # fmt: skip
"""What a tile has otherwise than its whole."""
NARROWEST_MM = 50.0
"""No tile is narrower."""
OF_THE_WHOLE_ALONE = {"name", "art_id", "width_mm", "due_count", "ready", "tiles", "tile"}


@dataclass(frozen=True)
class Apart:
    """A design taken apart: `wrong` says why it cannot be as it is asked."""

    wish: TileWish
    seams: Seams
    tiles: Sequence[Tile]
    wrong: JobError | None = None


def wish_of(state: DesignState, document: TilesDocument) -> TileWish:
    """Raises JobError when the size of the art is not known."""
    width, height = state.document.width_mm, state.height_mm
    if width is None or height is None:
        raise JobError("The size of the art is not known.", state.document.name, "Open it in Lines and type its width.")
    px = None if state.art.vectors_sha else width / state.art.width_px
    return document.to_wish((width, height), px)


def apart(state: DesignState, document: TilesDocument) -> Apart:
    """The tiles of a design as it is asked for. Raises JobError when the size of the art is not known."""
    wish, seams = wish_of(state, document), document.seams()
    try:
        seams = seams_even(wish) if document.by == "even" else seams
        return Apart(wish, seams, tiles(wish, seams))
    except JobError as error:
        return Apart(wish, seams, (), error)


def rooms(session: Session) -> dict[int, float]:
    """How wide a tile may be printed on each stock that there is a roll of, between the marks of a run as it would
    begin there, with its ticks; narrower ones are left out."""
    there = session.scalars(select(Roll).where(~Roll.away).order_by(Roll.id)).all()
    if not there:
        return {}
    document = run_edits.first_document(session, there[0], "tiles", [])
    kit, film = kit_of(session, document), session.get(Laminator, document.laminator_id or 0)
    stocks = loaded(session, Stock, (roll.stock_id for roll in there))
    kits = (replace(kit, stock=one, laminator=film if one.takes_film else None) for one in stocks.values())
    found = {one.stock.id: round(room_mm(document, one)[0] - 2 * ROOM_MM, 1) for one in kits if not one.stock.away}
    return {number: room for number, room in found.items() if room >= NARROWEST_MM}


def begin(session: Session, design_id: int, revision: int) -> None:
    """Take a design apart for the stock of its job, else for the widest white one. Raises JobError, Stale."""
    state = state_of(session, design_id)
    there, of_job = rooms(session), state.design.job.stock_id
    stocks = loaded(session, Stock, there)
    fitting = max(
        ((one.id == of_job, one.ground == "white", there[one.id], one.id) for one in stocks.values()), default=None
    )
    fresh = TilesDocument(copies=max(1, state.document.due_count))
    if fitting:
        fresh = fresh.model_copy(update={"media_mm": fitting[2], "stock_id": fitting[3]})
    put(session, design_id, revision, "taken apart", fresh)


def put(session: Session, design_id: int, revision: int, words: str, tiles: TilesDocument) -> None:
    """One edit. Raises Stale."""
    edits.apply(session, "design", design_id, revision, words, {"tiles": tiles.model_dump(mode="json")})


def change(session: Session, design_id: int, revision: int, words: str, changes: dict[str, Any]) -> None:
    """One edit of how a design is taken apart; a stock brings its width along, and a typed seam makes all of them
    typed. Raises JobError, Stale."""
    state = state_of(session, design_id)
    now = state.document.tiles or TilesDocument()
    if changes.get("stock_id") is not None:
        room = rooms(session).get(changes["stock_id"])
        if room is None:
            raise JobError("There is no roll of this stock, or no room on it.", "stock", "Choose another one.")
        changes = {"media_mm": room, **changes}
    elif "media_mm" in changes:
        changes = {**changes, "stock_id": None}
    fresh = TilesDocument.model_validate({**now.model_dump(), **changes})
    if {"across", "along"} & changes.keys() and "by" not in changes:
        held = apart(state, now).seams  # what stands now stays where it is
        more = {"across": sorted(held.across), "along": sorted(held.along), **changes, "by": "typed"}
        fresh = TilesDocument.model_validate({**now.model_dump(), **more})
    put(session, design_id, revision, words, fresh)


def find_seams(shop: Shop, wanted_of: OfDesign, report: Report) -> Outcome[SeamsFound]:
    """Task: seams where least of the art is cut through. Raises JobError."""
    from etiquette.core.artwork.detail import detail_of  # OpenCV: only where it works
    from etiquette.core.artwork.faces import faces_in

    state = shop.database.within(lambda session: state_of(session, wanted_of.design_id))
    document = state.document.tiles or TilesDocument()
    wish = wish_of(state, document)
    report(0.1, "Looking where the art is plain")
    picture = read_picture(shop.blobs.read(state.art.picture_sha), state.art.file_name)
    detail = detail_of(picture.pixels)
    if document.spare_faces:
        report(0.3, "Looking for faces")
    faces = faces_in(picture.pixels, (wish.width_mm, wish.height_mm)) if document.spare_faces else []
    found = seams_by_content(wish, detail, document.keep, faces)
    across, along = (list(np.round(seams, 2)) for seams in (found.across, found.along))
    values = {"across": across, "along": along, "by": "content", "faces": np.round(faces, 1).tolist()}
    fresh = TilesDocument.model_validate({**document.model_dump(), **values})

    def publish(session: Session) -> None:
        words = "seams where least is cut through"
        edits.apply(
            session,
            "design",
            wanted_of.design_id,
            state.design.revision,
            words,
            {"tiles": fresh.model_dump(mode="json")},
        )

    return Outcome(SeamsFound(design_id=wanted_of.design_id), publish)


def tiles_made(session: Session, design: Design) -> dict[int, Design]:
    """The designs that are tiles of a design, by their number."""
    of_job = session.scalars(select(Design).where(Design.job_id == design.job_id, Design.id != design.id))
    held = ((one, one.document.tile) for one in of_job)
    return {tile.number: one for one, tile in held if tile is not None and tile.of == design.id and not one.away}


def key_of(state: DesignState, document: TilesDocument, tile: Tile) -> str:
    """Names all that a tile is made from."""
    own = state.document.model_dump(mode="json", exclude=OF_THE_WHOLE_ALONE)
    how = [document.turned, document.lying, document.carried, document.copies]
    shape = [tile.printed, tile.outline.wkt, [(one.side, one.seam_mm, one.edge_mm) for one in tile.neighbours]]
    parts = [TILE_RECIPE, state.art.content_sha, state.document.name, state.document.width_mm, own, how, shape]
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def make_tiles(shop: Shop, wanted_of: OfDesign, report: Report) -> Outcome[TilesMade]:
    """Task: every tile that is wanted becomes a design of the same job, or the one that it was becomes like it; tiles
    that are not wanted any more go, or are put away where something was made of them. Raises JobError."""
    state = shop.database.within(lambda session: state_of(session, wanted_of.design_id))
    document = state.document.tiles
    if document is None:
        raise JobError("It is not taken apart.", state.document.name, "Say how wide its stock is first.")
    if state.document.braille:
        what = "A sign with braille is not taken apart: its dots would be cut."
        raise JobError(what, state.document.name, "Take its braille away first.")
    in_rectangle = state.document.clear == "area" or any(one.extent == "area" for one in state.document.specials)
    if state.document.both_sides or in_rectangle:
        what = "Its other side, or an ink in a rectangle, would not be parted with it."
        raise JobError(what, state.document.name, "Take that back in Lines, or let a layer of the art mean the ink.")
    made = apart(state, document)
    if made.wrong:
        raise made.wrong
    there = shop.database.within(lambda session: _keys_there(session, state.design.id))
    keys = {tile.number: key_of(state, document, tile) for tile in made.tiles}
    kept = wanted(made.tiles, document.off)
    fresh = [tile for tile in kept if there.get(tile.number) != keys[tile.number]]
    arts = {tile.number: art for tile, art in zip(fresh, _arts(shop, state, made.wish, fresh, report), strict=True)}
    inks = dict(zip((tile.number for tile in fresh), inks_of_tiles(shop, state, fresh), strict=True))
    values = {tile.number: _values(state, document, made, tile, keys[tile.number]) for tile in fresh}

    def publish(session: Session) -> None:
        _publish(shop, session, state, [tile.number for tile in kept], arts, inks, values)

    return Outcome(TilesMade(design_id=state.design.id, tiles=len(kept)), publish)


def _keys_there(session: Session, design_id: int) -> dict[int, str]:
    made = tiles_made(session, session.get_one(Design, design_id))
    return {number: tile.key for number, one in made.items() if (tile := one.document.tile)}


def _arts(shop: Shop, state: DesignState, wish: TileWish, fresh: Sequence[Tile], report: Report) -> Iterator[ArtRead]:
    """What is printed of each tile, as art."""
    content, name = shop.blobs.read(state.art.content_sha), state.art.file_name
    crops = [_crop(wish, tile) for tile in fresh]
    if state.art.form == "picture":
        yield from cut_up(content, name, crops, lambda done, of: _said(report, done, of)) if crops else ()
        return
    for number, crop in enumerate(crops, 1):
        _said(report, number, len(crops))
        yield arrange(content, name, Arrangement(crop))


def _said(report: Report, done: int, of: int) -> None:
    report(0.1 + 0.8 * done / of, f"Tile {done} of {of}")


def _crop(wish: TileWish, tile: Tile) -> Box:
    """What is printed of a tile, in shares of the whole from its top left."""
    x0, y0, x1, y1 = tile.printed
    top = wish.height_mm - y1
    return (x0 / wish.width_mm, top / wish.height_mm, (x1 - x0) / wish.width_mm, (y1 - y0) / wish.height_mm)


def _values(state: DesignState, document: TilesDocument, made: Apart, tile: Tile, key: str) -> dict[str, Any]:
    """The settings of the design that a tile is, but for its art."""
    x0, y0, x1, _ = tile.printed
    rings = [tile.outline.exterior, *tile.outline.interiors]
    ticks = [TickDocument(across=one.across, at_mm=round(one.at_mm, 4), is_seam=one.is_seam) for one in ticks_of(tile)]
    note = TileDocument(
        of=state.design.id,
        whole=state.document.name,
        number=tile.number,
        count=len(made.tiles),
        row=tile.row,
        column=tile.column,
        rows=max(one.row for one in made.tiles),
        columns=max(one.column for one in made.tiles),
        rings=[[(round(x - x0, 4), round(y - y0, 4)) for x, y in list(ring.coords)[:-1]] for ring in rings],
        ticks=ticks,
        turn_deg=turn_of(made.wish, tile, document.turned),
        key=key,
    )
    own = state.document.model_dump(mode="json", exclude={"version"})
    name = f"{state.document.name[:100]}, tile {tile.number}"
    return {
        **own, **NOT_OF_A_TILE, "name": name, "width_mm": round(x1 - x0, 4), "due_count": document.copies,
        "tile": note.model_dump(mode="json"),
    }  # fmt: skip


def _publish(
    shop: Shop,
    session: Session,
    state: DesignState,
    kept: Sequence[int],
    arts: dict[int, ArtRead],
    inks: dict[int, Inks],
    values: dict[int, dict[str, Any]],
) -> None:
    row = edits.locked(session, "design", state.design.id)
    if row.revision != state.design.revision:
        raise JobError("The design was changed meanwhile.", state.document.name, "Make its tiles once more.")
    there = tiles_made(session, row)
    for number, page in arts.items():
        art = keep_art(shop, session, page, state.art.file_name, state.art.page)
        alone = {
            f"{plate}_art_id": keep_art(shop, session, ink, f"{plate}.svg").id for plate, ink in inks[number].items()
        }
        asked = {**values[number], **alone, "art_id": art.id}
        if number in there:
            edits.apply(session, "design", there[number].id, None, "tile made anew", asked)
        else:
            session.add(Design(job_id=row.job_id, document=DesignDocument(**asked)))
    for number, one in there.items():
        if number not in kept:
            _take_away(session, one)
    session.flush()
    edits.apply(session, "design", row.id, None, f"made into {len(kept)} tiles", {"due_count": 0, "ready": True})


def _take_away(session: Session, tile: Design) -> None:
    """For good; where something was printed of it, it is due no more and stands in no list."""
    try:
        whole.take_away(session, "design", tile.id)
    except JobError:
        edits.apply(session, "design", tile.id, None, "not wanted as a tile", {"due_count": 0})
        whole.put_away(session, "design", tile.id, True)


def be_whole(session: Session, design_id: int, revision: int) -> None:
    """The design is due as a whole again, and its tiles go. Raises JobError, Stale."""
    state = state_of(session, design_id)
    copies = state.document.tiles.copies if state.document.tiles else 1
    for one in tiles_made(session, state.design).values():
        _take_away(session, one)
    changes = {"tiles": None, **({"due_count": copies} if state.document.due_count == 0 else {})}
    edits.apply(session, "design", design_id, revision, "whole again", changes)


def make_run(session: Session, design_id: int) -> int:
    """A run of all tiles, one to a frame, on the stock they were planned for; returns its number. Raises JobError."""
    state = state_of(session, design_id)
    made = tiles_made(session, state.design)
    if not made:
        raise JobError("Its tiles are not made yet.", state.document.name, "Make them first.")
    document = state.document.tiles or TilesDocument()
    items = [{"design_id": one.id, "count": max(1, one.document.due_count)} for _, one in sorted(made.items())]
    run = run_edits.create(session, f"{state.document.name}, tiles"[:120], items, document.stock_id)
    run_edits.change(session, run, None, "one to a frame", {"laying": "each"})
    return run
