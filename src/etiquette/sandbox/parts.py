"""What came through the door of vector art, as the producer of designs takes it."""

from etiquette.core.artwork.line_rules import Sorted
from etiquette.core.artwork.raster import read_picture
from etiquette.core.artwork.vectors import VectorPage
from etiquette.core.production.designs import PageParts
from etiquette.files.vectors import read_areas, read_plates
from etiquette.sandbox.art import Separated


def parts_of(page: VectorPage, found: Sorted, separated: Separated, name: str) -> PageParts:
    """`found`: what the line rules made of the paths of `page`; `separated`: the page without its lines; `name` of the
    file, for sentences."""
    named = read_plates(separated.marked) if separated.marked else {}
    picture = read_picture(separated.picture, name)
    return PageParts(found, page.width_mm, page.height_mm, picture, read_areas(separated.areas), named)
