"""How the colours of a design are changed in print; apart from the doing, which looks at every pixel."""

from dataclasses import asdict, dataclass


@dataclass(frozen=True)
class Correction:
    """Each from -100 to 100, 0: as it came. `red_green`: above 0 towards red; `yellow_blue`: above 0 towards yellow."""

    lightness: float = 0.0
    contrast: float = 0.0
    saturation: float = 0.0
    red_green: float = 0.0
    yellow_blue: float = 0.0

    def __bool__(self) -> bool:
        return any(asdict(self).values())


@dataclass(frozen=True)
class Replaced:
    """`colour` (sRGB, 0 to 255) and what is within so much of it (CIEDE2000) becomes `to`: "rgb" or "cmyk" with numbers
    of 0 to 1, None for white."""

    colour: tuple[int, int, int]
    to: tuple[str, tuple[float, ...]] | None
    within: float


def levels_of(colour: str) -> tuple[int, int, int]:
    """Of #rrggbb."""
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)
