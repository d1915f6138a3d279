"""What is said of art that falls into very small parts, and the size of specks that helps."""

import math
from collections.abc import Sequence

from shapely import Polygon

from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points


def dust(areas: Points, most: int) -> JobError:
    """What is said of a scan in dots, or of grain: minutes of work for lines that nobody cuts. `areas` mm², the largest
    first."""
    limit = float(f"{areas[most] * 1.05 + 0.005:.2g}")
    return JobError(
        f"The art falls into {len(areas):,} parts: that is a picture in dots, or grain.",
        "specks",
        f"Leave out specks under {limit:g} mm², or take a rectangle round it.",
    )


def all_specks(specks: Sequence[Polygon], least_mm2: float) -> JobError:
    """What is said when all of the art, the largest first, is left out as specks: a shower of stars, a line of small
    print."""
    largest = specks[0].area
    return JobError(
        f"All of the art is left out as specks under {least_mm2:g} mm²: its largest part has {largest:.2g} mm².",
        "specks",
        f"Leave out specks under {keeping_mm2(largest):g} mm² instead, or check the size of the art.",
    )


def keeping_mm2(area: float) -> float:
    """A size of specks, in few digits, with which a part of `area` is kept."""
    steps = 10.0 ** max(0, 1 - math.floor(math.log10(max(area, 1e-6))))
    return math.floor(area * 0.95 * steps) / steps
