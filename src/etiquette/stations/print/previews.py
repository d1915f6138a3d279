"""Pictures of a plate, and the plate with its lines for other programs."""

from collections.abc import Sequence

from etiquette.core.artwork.kinds import Kind
from etiquette.core.printing.companion import with_lines
from etiquette.sandbox.drawing import part_of_file, preview_of_file
from etiquette.stations.cut_files import of_kinds
from etiquette.stations.line_rules import rules_file
from etiquette.stations.plate_sets import lines_of_plate, plate_file
from etiquette.stations.shop import Shop
from etiquette.store.models import Plate


def preview_of(shop: Shop, plate: Plate, name: str) -> bytes:
    """PNG of one plate. That of the colour is kept; the others hold nothing but areas and are drawn when asked for."""
    if name == "colour":
        return shop.blobs.read(plate.preview_sha)
    return preview_of_file(shop.blobs.path(plate_file(plate, name)), clear_ground=True)[0]


def companion_of(shop: Shop, plate: Plate, kinds: Sequence[Kind] | None = None) -> bytes:
    """The colour plate with its finish lines as layers marked by ISO 19593-1, for shops that want one file; `kinds`:
    only these. Raises JobError when no line is of these kinds."""
    lines = of_kinds(lines_of_plate(shop, plate).lines, kinds, plate.summary.name)
    names = shop.database.within(rules_file).names
    return with_lines(shop.blobs.read(plate.pdf_sha), lines, plate.summary.half_turn, names)


def part_of(shop: Shop, plate: Plate, name: str, box: tuple[float, float, float, float], dpi: float) -> bytes:
    """PNG of a stretch of one plate: `box` is x, y, width and height in run millimetres."""
    return part_of_file(shop.blobs.path(plate_file(plate, name)), box, dpi, clear_ground=name != "colour")
