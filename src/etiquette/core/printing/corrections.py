"""How the colours of a design are corrected; apart from the doing, which looks at every pixel."""

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
