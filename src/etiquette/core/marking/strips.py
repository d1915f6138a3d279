"""A strip of colour patches in the tail row of a frame, in the colours of the plate: printed again, it shows whether
the colours still are those of the first print. Bare stock stands at both ends, for the light to be told by."""

from dataclasses import dataclass

Inks = tuple[float, float, float, float]

PATCH_MM = 5.0
"""Side of a patch: large enough for a hand-held meter's opening of 4 mm, and 20 pixels of a scan at 100 an inch."""
STOCK = "stock"
PATCHES: tuple[tuple[str, Inks], ...] = (
    ("cyan", (1.0, 0.0, 0.0, 0.0)),
    ("magenta", (0.0, 1.0, 0.0, 0.0)),
    ("yellow", (0.0, 0.0, 1.0, 0.0)),
    ("black", (0.0, 0.0, 0.0, 1.0)),
    ("grey of three inks", (0.5, 0.4, 0.4, 0.0)),
    ("half black", (0.0, 0.0, 0.0, 0.5)),
    ("magenta and yellow", (0.0, 1.0, 1.0, 0.0)),
    ("cyan and yellow", (1.0, 0.0, 1.0, 0.0)),
    ("cyan and magenta", (1.0, 1.0, 0.0, 0.0)),
    ("half cyan", (0.5, 0.0, 0.0, 0.0)),
    ("half magenta", (0.0, 0.5, 0.0, 0.0)),
    ("half yellow", (0.0, 0.0, 0.5, 0.0)),
)
"""What is printed where there is room, the most telling first: each ink, then a grey that turns to a colour as soon as
one of three inks is off, then tints and overprints (as control strips have them; common practice, no published
source)."""
LEAST_PATCHES = 5
"""Each ink and the grey; fewer do not say what is off."""
ENDS = 2


@dataclass(frozen=True)
class Strip:
    """Patches side by side along x, PATCH_MM each; (x, y) is the lower left corner, in run millimetres. `count`: of
    PATCHES; bare stock comes before and after them."""

    x: float
    y: float
    count: int

    @property
    def width_mm(self) -> float:
        return (self.count + ENDS) * PATCH_MM

    def places(self) -> list[tuple[str, Inks, float, float]]:
        """Name, inks, and lower left corner of each, in their order."""
        bare = (STOCK, (0.0, 0.0, 0.0, 0.0))
        return [
            (name, inks, self.x + number * PATCH_MM, self.y)
            for number, (name, inks) in enumerate([bare, *PATCHES[: self.count], bare])
        ]


def least_width_mm() -> float:
    return (LEAST_PATCHES + ENDS) * PATCH_MM


def strip_within(left: float, right: float, middle_y: float) -> Strip | None:
    """The strip that ends at `right` and begins after `left`, as long as there is room; None when not for the least."""
    count = min(int((right - left + 1e-6) // PATCH_MM) - ENDS, len(PATCHES))
    if count < LEAST_PATCHES:
        return None
    return Strip(right - (count + ENDS) * PATCH_MM, middle_y - PATCH_MM / 2, count)
