"""Settings that are proposed from the art itself: what is proposed is set, and nothing is left to propose."""

import io

import numpy as np
import pytest
import shapely
from PIL import Image, ImageDraw
from shapely import affinity

from etiquette.core.artwork.raster import read_picture
from etiquette.core.finishing.lines import EdgeSettings, FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.production.designs import DesignSettings, ReadyDesign, ready_picture
from etiquette.core.production.proposing import Proposal, parts_that_belong_together, propose


def drawn(*shapes: tuple[str, tuple[int, int, int, int]], clear: bool = False) -> bytes:
    """Shapes on a ground, ten pixels to a millimetre when it is printed 90 mm wide."""
    picture = Image.new("RGBA", (900, 300), (255, 255, 255, 0 if clear else 255))
    pen = ImageDraw.Draw(picture)
    for shape, box in shapes:
        getattr(pen, shape)(box, fill="#1d4d8c")
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


def proposed(content: bytes, bleed_mm: float = 0.0, **edge: object) -> tuple[Proposal, ReadyDesign]:
    settings = DesignSettings("art", EdgeSettings(**edge), bleed_mm=bleed_mm)  # type: ignore[arg-type]
    ready = ready_picture(read_picture(content, "art.png"), 90.0, settings, {})
    found = propose(settings.edge, ready.lines, ready.report, ready.findings, ready.bleed.runs, bleed_mm)
    return found, ready


def settled(content: bytes, **edge: object) -> ReadyDesign:
    """The art with what was proposed; then nothing more is."""
    changes = {**edge, **proposed(content, **edge)[0].changes}  # type: ignore[arg-type]
    left, ready = proposed(content, **changes)  # type: ignore[arg-type]
    assert left.changes == {}
    return ready


BARS = [("rectangle", (50 + 60 * number, 60, 50 + 60 * number + 29, 240)) for number in range(10)]
"""Ten bars 3 mm wide and 18 mm high, 3 mm apart."""


def test_narrow_parts_beside_each_other_become_one_piece() -> None:
    found, ready = proposed(drawn(*BARS), offset_mm=0.0)
    assert len(ready.lines) == 10 and found.changes["merge_mm"] >= 3.0
    assert "Of 10 parts the narrowest is 3.0 mm" in found.why[0]
    assert len(settled(drawn(*BARS), offset_mm=0.0).lines) == 1


def test_an_offset_bridges_a_part_of_the_gap_itself() -> None:
    """1 mm outward from bars that stand 3 mm apart leaves 1 mm: what has to be bridged is still 3 mm of art."""
    found, ready = proposed(drawn(*BARS), offset_mm=1.0)
    assert len(ready.lines) == 10 and 3.0 <= found.changes["merge_mm"] <= 3.6
    assert len(settled(drawn(*BARS), offset_mm=1.0).lines) == 1


@pytest.mark.parametrize(
    ("words", "shapes"),
    [
        (
            "stickers that are wide enough each",
            [("ellipse", (40 + 100 * n, 100, 40 + 100 * n + 80, 180)) for n in range(8)],
        ),
        (
            "narrow ones far from each other",
            [("rectangle", (40 + 400 * n, 130, 40 + 400 * n + 30, 200)) for n in range(3)],
        ),
        ("a single narrow one", [("rectangle", (100, 130, 800, 150))]),
    ],
)
def test_pieces_of_their_own_stay_so(words: str, shapes: list[tuple[str, tuple[int, int, int, int]]]) -> None:
    assert "merge_mm" not in proposed(drawn(*shapes), offset_mm=0.0)[0].changes, words


def test_art_without_its_ground_gets_a_rectangle_with_bleed() -> None:
    """All of it is art when its ground is said to be a green that is nowhere in it."""
    found, _ = proposed(drawn(*BARS), ground="#00ff00")
    assert found.changes["follow"] == "page" and found.changes["bleed_mm"] > 1.0
    assert settled(drawn(*BARS), ground="#00ff00").report.lines == 1


def test_colour_that_ends_at_the_line_gets_bleed() -> None:
    disc = drawn(("ellipse", (300, 20, 560, 280)), clear=True)
    assert proposed(disc, offset_mm=-0.5)[0].changes == {"bleed_mm": 1.5}
    assert proposed(disc, offset_mm=2.0)[0].changes == {}  # a white border: nothing to carry outward
    assert proposed(disc, bleed_mm=2.0, offset_mm=-0.5)[0].changes == {}


def test_corners_and_specks_are_mended_together() -> None:
    """A cross has four inner corners; a dot of 1.5 mm² beside it is left out as a speck."""
    cross = drawn(
        ("rectangle", (300, 100, 500, 180)), ("rectangle", (360, 40, 440, 240)), ("ellipse", (560, 60, 573, 73))
    )
    found, _ = proposed(cross, offset_mm=0.0)
    assert found.changes["corner_mm"] > 0.5 and found.changes["min_area_mm2"] < 1.5
    assert "4 inner corners are tighter than the knife turns: they are rounded." in found.why


def test_the_gap_to_bridge_is_the_widest_on_the_shortest_way_round() -> None:
    """Four squares of 4 mm at 0, 5, 12 and 13.5 mm: gaps of 1, 3 (12 − 9) and none."""
    places = (0.0, 5.0, 12.0, 13.5)
    squares = [affinity.translate(shapely.box(0, 0, 4, 4), place) for place in places]
    lines = [FinishLine("kiss", Path.from_points(np.asarray(square.exterior.coords))) for square in squares]
    found = parts_that_belong_together(lines)
    assert found is not None and found[0] == 4 and found[1:] == pytest.approx((4.0, 3.0), abs=0.01)


def test_lines_of_other_kinds_ask_for_nothing_of_the_kind() -> None:
    """Through lines alone, or one open kiss line: there are no pieces to be held together."""
    square = np.array([(0.0, 0.0), (4, 0), (4, 4), (0, 4)])
    through = [FinishLine("through", Path.from_points(square + (6 * n, 0))) for n in range(3)]
    assert parts_that_belong_together(through) is None
    assert parts_that_belong_together([FinishLine("kiss", Path.from_points(square, closed=False))]) is None
    assert parts_that_belong_together([]) is None
