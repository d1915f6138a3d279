"""What is shown of tiles."""

from base64 import b64encode
from io import BytesIO

import numpy as np
from PIL import Image
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.artwork.raster import read_picture
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.pens import SvgPen
from etiquette.core.planning.tiles import Tile
from etiquette.core.production.assembly import assembly_page, assembly_svg
from etiquette.stations.designs import DesignState, state_of
from etiquette.stations.lines import tiling
from etiquette.stations.lines.tiles_schemas import StockFor, TileShown, TilesShown
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, RunItem, Stock

PINE = (15, 92, 78)
STOCKS_SHOWN = 60


def tiles_shown(session: Session, design_id: int) -> TilesShown:
    """Raises NotThere, JobError."""
    state = state_of(session, design_id)
    document, made = state.document.tiles, tiling.tiles_made(session, state.design)
    stocks = _stocks(session)
    if document is None:
        return TilesShown(
            document=None, across=[], along=[], tiles=[], wrong="", fresh=False, made=len(made), runs=[], stocks=stocks
        )
    apart = tiling.apart(state, document)
    kept = [tile for tile in apart.tiles if tile.number not in document.off]
    keys = {number: tile.key for number, one in made.items() if (tile := one.document.tile)}
    fresh = bool(kept) and keys == {tile.number: tiling.key_of(state, document, tile) for tile in kept}
    return TilesShown(
        document=document,
        across=sorted(apart.seams.across),
        along=sorted(apart.seams.along),
        tiles=[_tile(tile, apart.wish.height_mm, tile.number in document.off, made) for tile in apart.tiles],
        wrong=f"{apart.wrong.what} {apart.wrong.do}" if apart.wrong else "",
        fresh=fresh,
        made=len(made),
        runs=_runs(session, [one.id for one in made.values()]),
        stocks=stocks,
    )


def _tile(tile: Tile, height_mm: float, off: bool, made: dict[int, Design]) -> TileShown:
    pen = SvgPen(height_mm)
    for ring in (tile.outline.exterior, *tile.outline.interiors):
        Path.from_points(np.asarray(ring.coords)[:-1]).draw(pen)
    x0, y0, x1, y1 = tile.printed
    left, low, right, top = tile.outline.bounds
    there = made.get(tile.number)
    return TileShown(
        number=tile.number, row=tile.row, column=tile.column, d=pen.data,
        width_mm=round(right - left, 2), height_mm=round(top - low, 2),
        box=(round(x0, 2), round(height_mm - y1, 2), round(x1 - x0, 2), round(y1 - y0, 2)),
        off=off, design_id=there.id if there else None,
    )  # fmt: skip


def _runs(session: Session, design_ids: list[int]) -> list[int]:
    found = select(RunItem.run_id).where(RunItem.design_id.in_(design_ids)).distinct()
    return sorted(session.scalars(found), reverse=True)


def _stocks(session: Session) -> list[StockFor]:
    there = tiling.rooms(session)
    rows = session.scalars(select(Stock).where(Stock.id.in_(there)).order_by(Stock.name).limit(STOCKS_SHOWN))
    return [StockFor(id=row.id, name=row.name, room_mm=there[row.id]) for row in rows]


def tint_of(shop: Shop, session: Session, design_id: int) -> bytes:
    """Where seams cost much, as a clear picture that is laid over the art: where it is busy, and the faces that were
    found. PNG. Raises NotThere."""
    from etiquette.core.artwork.detail import busy_in, detail_of  # OpenCV: only where it works

    state = state_of(session, design_id)
    detail = detail_of(read_picture(shop.blobs.read(state.art.thumb_sha), state.art.file_name).pixels)
    if (tiles := state.document.tiles) and state.document.width_mm and state.height_mm:
        detail = busy_in(detail, tiles.faces, (state.document.width_mm, state.height_mm))
    tint = np.zeros((*detail.shape, 4), np.uint8)
    tint[..., :3] = PINE
    tint[..., 3] = np.round(detail**0.7 * 190)
    out = BytesIO()
    Image.fromarray(tint).save(out, "PNG")
    return out.getvalue()


def assembly_drawn(shop: Shop, session: Session, design_id: int) -> tuple[DesignState, str]:
    """A design and the page by which its tiles are put together, as HTML with all pictures in it. Raises JobError."""
    state = state_of(session, design_id)
    document = state.document.tiles
    apart = tiling.apart(state, document) if document else None
    if document is None or apart is None or apart.wrong:
        raise JobError("It is not taken apart.", state.document.name, "Say how its tiles are made first.")
    held = b64encode(shop.blobs.read(state.art.thumb_sha)).decode()
    drawing = assembly_svg(apart.wish, apart.seams, apart.tiles, document.off, f"data:image/png;base64,{held}")
    return state, assembly_page(state.document.name, apart.wish, apart.tiles, document.off, drawing)
