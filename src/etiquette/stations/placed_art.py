"""A design as it goes onto a plate: its page without its finish lines, or its picture, with the bleed it was given."""

from shapely import Polygon

from etiquette.core.artwork.raster import read_picture
from etiquette.core.errors import JobError
from etiquette.core.printing.art_forms import Art, OtherSide, PageArt, PictureArt, other_side
from etiquette.stations.designs import DesignState
from etiquette.stations.shop import Shop


def art_of(shop: Shop, design: DesignState) -> Art:
    """Without a clip: who places it says how far it is printed."""
    found = design.lines
    if found is not None and found.print_sha:
        under = _picture(shop, found.under_sha, design) if found.under_sha else None
        return PageArt(shop.blobs.read(found.print_sha), *_size(design), Polygon(), under)
    made = found.print_picture_sha if found else None
    return _picture(shop, made or design.art.picture_sha, design)


def other_side_of(shop: Shop, design: DesignState) -> OtherSide | None:
    """What is seen of a design from its other side, middle on middle. Raises JobError when it is gone."""
    other = seen_behind(design)
    if other is None:
        return None
    size, bleed = _size(other), other.lines.summary.bleed if other.lines else None
    printed = bleed.box if bleed else (0.0, 0.0, *size)
    return other_side(art_of(shop, other), size, printed, _size(design), is_mirrored(design, other))


def seen_behind(design: DesignState) -> DesignState | None:
    """The design that is seen from the other side of one, which may be itself; None: nothing is. Raises JobError when
    it is gone."""
    sides = design.document.both_sides
    if sides is None:
        return None
    if sides.other is not None and design.other is None:
        name = design.document.name
        raise JobError(f"What is to be seen from the other side of {name} is gone.", name, "Choose again in Lines.")
    return design.other or design


def is_mirrored(design: DesignState, other: DesignState) -> bool:
    """Whether what is seen behind a design is mirrored on the sheet. Art for the back is mirrored already, so one that
    is seen from the other side than the design lies as it is."""
    return other is design or other.document.second_surface == design.document.second_surface


def _size(design: DesignState) -> tuple[float, float]:
    return design.document.width_mm or 0.0, design.height_mm or 0.0


def _picture(shop: Shop, sha: str, design: DesignState) -> PictureArt:
    """The picture kept as `sha`: the art itself, or larger with bleed."""
    picture = read_picture(shop.blobs.read(sha), design.art.file_name)
    note = design.lines.summary.bleed if design.lines else None
    place = note.box if note and sha != design.art.picture_sha else None
    # printed as it came: the file itself may go in, not what was read from it
    own = design.art.form == "picture" and sha == design.art.picture_sha
    return PictureArt(
        picture, *_size(design), Polygon(), place, shop.blobs.read(design.art.content_sha) if own else None
    )
