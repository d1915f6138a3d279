"""Pictures of a plate, and the plate with its lines for other programs."""

from collections.abc import Sequence
from typing import Literal

from etiquette.core.artwork.kinds import Kind
from etiquette.core.errors import JobError
from etiquette.core.printing.companion import with_lines
from etiquette.core.printing.profiles import ProofWish
from etiquette.sandbox.drawing import part_of_file, preview_of_file
from etiquette.sandbox.proofing import PlaceColours, colours_at, proof_of_file
from etiquette.stations.cut_files import of_kinds
from etiquette.stations.line_rules import rules_file
from etiquette.stations.plate_sets import lines_of_plate, plate_file
from etiquette.stations.shop import Shop
from etiquette.store.models import Plate

Seen = Literal["plate", "stock", "reach"]
"""A plate itself, as it will look on its stock, or so with the places striped that its inks do not reach."""


def preview_of(shop: Shop, plate: Plate, name: str, seen: Seen = "plate") -> bytes:
    """PNG of one plate. That of the colour is kept; the others hold nothing but areas and are drawn when asked for, as
    is what the colour looks like on its stock. Raises JobError."""
    if seen != "plate":
        return proof_of_file(shop.blobs.path(plate.pdf_sha), _proof_wish(shop, plate), tint=seen == "reach")[0]
    if name == "colour":
        return shop.blobs.read(plate.preview_sha)
    return preview_of_file(shop.blobs.path(plate_file(plate, name)), clear_ground=True)[0]


def companion_of(shop: Shop, plate: Plate, kinds: Sequence[Kind] | None = None) -> bytes:
    """The colour plate with its finish lines as layers marked by ISO 19593-1, for shops that want one file; `kinds`:
    only these. Raises JobError when no line is of these kinds."""
    lines = of_kinds(lines_of_plate(shop, plate).lines, kinds, plate.summary.name)
    names = shop.database.within(rules_file).names
    return with_lines(shop.blobs.read(plate.pdf_sha), lines, plate.summary.half_turn, names)


def part_of(
    shop: Shop, plate: Plate, name: str, box: tuple[float, float, float, float], dpi: float, seen: Seen = "plate"
) -> bytes:
    """PNG of a stretch of one plate: `box` is x, y, width and height in run millimetres. Raises JobError."""
    if seen != "plate":
        wish = _proof_wish(shop, plate)
        return proof_of_file(shop.blobs.path(plate.pdf_sha), wish, tint=seen == "reach", box=box, dpi=dpi)[0]
    return part_of_file(shop.blobs.path(plate_file(plate, name)), box, dpi, clear_ground=name != "colour")


def colours_of_place(shop: Shop, plate: Plate, x_mm: float, y_mm: float) -> PlaceColours:
    """The colours at one place of the colour plate, run millimetres. Raises JobError."""
    return colours_at(shop.blobs.path(plate.pdf_sha), _proof_wish(shop, plate), x_mm, y_mm)


def _proof_wish(shop: Shop, plate: Plate) -> ProofWish:
    """The profile that the plate was made for. Raises JobError when there was none."""
    colour = plate.summary.colour
    if colour is None:
        raise JobError(
            "This plate was made without a colour profile: nobody knows how it will look on its stock.",
            plate.summary.name,
            "Take the profile of its stock onto the Shelf and choose it in the print mode.",
        )
    return ProofWish(shop.blobs.read(colour.sha), colour.space, colour.intent, colour.black_point)
