"""A design of a run, as RUN.json has it."""

import re
from typing import Annotated, Literal

from pydantic import Field, field_validator

from etiquette.core.artwork.spot_inks import PLATES, Plate
from etiquette.core.finishing.lines import EdgeSettings
from etiquette.core.finishing.spot_areas import Extent
from etiquette.core.printing.corrections import Replaced, levels_of
from etiquette.core.production.designs import DesignSettings, SpotSettings
from etiquette.files.contracts import Strict
from etiquette.files.documents.colours import ColourWishes
from etiquette.files.documents.designs import GROUND, Rectangle

HEX = "^#[0-9a-f]{6}$"
MARKED = r"(layer|colour|spot) (.{1,200})"
Share = Annotated[float, Field(ge=0, le=100)]


class ReplacedFile(Strict):
    """A colour of the art that is printed as another one."""

    colour: Annotated[str, Field(pattern=HEX)]
    to: Annotated[str, Field(pattern=HEX)] | tuple[Share, Share, Share, Share] | None = None
    """#rrggbb, or percent of cyan, magenta, yellow and black; none: white."""
    within: Annotated[float, Field(ge=0.5, le=40)] = 5.0

    def to_replaced(self) -> Replaced:
        if self.to is None:
            return Replaced(levels_of(self.colour), None, self.within)
        if isinstance(self.to, str):
            return Replaced(levels_of(self.colour), ("rgb", tuple(n / 255 for n in levels_of(self.to))), self.within)
        return Replaced(levels_of(self.colour), ("cmyk", tuple(share / 100 for share in self.to)), self.within)


class RunAreaFile(Strict):
    """Where a special ink goes on a design; what its art marks comes on top of it."""

    ink: Annotated[str, Field(min_length=1, max_length=60)]
    """One of the inks of the run."""
    extent: Extent = "none"
    choke_mm: Annotated[float, Field(ge=-20, le=20)] = 0.0
    area: Rectangle | None = None
    """x, y, width and height in mm from the top left of the art, for the extent `area`."""


class RunSidesFile(Strict):
    """A design that is seen from both sides of its stock: between its colours and those of the other side lie white, a
    blocker and white."""

    other: str | None = None
    """The design of the run that is seen from the other side, middle on middle; none: the same art."""
    blocker: bool = True
    blocker_choke_mm: Annotated[float, Field(ge=0, le=20)] = 0.2
    """How far it stays inside the white."""


class RunDesignFile(ColourWishes, Strict):
    """One design. Paths are relative to the folder of RUN.json."""

    id: Annotated[str, Field(min_length=1, max_length=120)]
    art: str
    page: Annotated[int, Field(ge=1)] = 1
    width_mm: Annotated[float, Field(gt=0.5, le=20_000)] | None = None
    """None: as the file says."""
    lines: str | None = None
    """A LINES.svg; none: lines that the line rules catch in vector art, else the edge of the art."""
    rules: str | None = None
    """A RULES.json; none: the default ones. Paths that they catch are not printed, whether `lines` is given or not."""
    ground: Annotated[str, Field(pattern=GROUND)] = "auto"
    """What of a picture is background: found by itself, its transparency (alpha), or colours, #rrggbb."""
    distance: Annotated[float, Field(ge=0, le=100)] | None = None
    """Colour distance within which a pixel is background; without one it is found from the rim's own noise."""
    bleed_mm: Annotated[float, Field(ge=0, le=50)] = 0.0
    """Bleed made of the colours at the edge of the art, this far past the line."""
    white: Literal["none", "art", "line"] = "none"
    white_choke_mm: Annotated[float, Field(ge=-5, le=5)] = 0.0
    clear: Extent = "none"
    clear_choke_mm: Annotated[float, Field(ge=-5, le=5)] = 0.0
    clear_area: Rectangle | None = None
    """Where clear goes with the extent `area`."""
    clear_raised: bool = False
    """Clear is built up in passes: the plate of height."""
    specials: Annotated[list[RunAreaFile], Field(max_length=12)] = []
    """Special inks of the run."""
    marked: Annotated[dict[str, Plate], Field(max_length=60)] = {}
    """What of the art is an area of `white`, of `clear` or of a special ink, by its name, and no colour: `layer NAME`,
    `colour #rrggbb`, or `spot NAME`, a named colour."""
    marked_within: Annotated[float, Field(ge=0.5, le=60)] = 10.0
    """How near a colour of a picture is to a marked one to count as it (CIEDE2000)."""
    second_surface: bool = False
    """Printed on the back of clear stock and seen through it: the art is mirrored, the order of the plates turned
    round. Lines that are given are those of the mirrored art."""
    both_sides: RunSidesFile | None = None
    replaced: Annotated[list[ReplacedFile], Field(max_length=24)] = []

    def to_settings(self, own_lines_only: bool = False) -> DesignSettings:
        return DesignSettings(
            name=self.id,
            edge=EdgeSettings(ground=self.ground, distance=self.distance),
            own_lines_only=own_lines_only,
            bleed_mm=self.bleed_mm,
            spots={
                "white": SpotSettings(self.white, self.white_choke_mm),
                "clear": SpotSettings(self.clear, self.clear_choke_mm, self.clear_area),
                **{one.ink: SpotSettings(one.extent, one.choke_mm, one.area) for one in self.specials},
            },
        )

    def marks(self) -> dict[str, dict[str, Plate]]:
        """Colours, layers and named colours apart, as art is separated by them."""
        apart: dict[str, dict[str, Plate]] = {"colour": {}, "layer": {}, "spot": {}}
        for what, plate in self.marked.items():
            kind, name = what.split(" ", 1)
            apart[kind][name] = plate
        return apart

    def inks(self) -> set[str]:
        """The special inks that it names."""
        return {*(one.ink for one in self.specials), *self.marked.values()} - set(PLATES)

    @field_validator("marked")
    @classmethod
    def _marks_are_known(cls, marked: dict[str, Plate]) -> dict[str, Plate]:
        for what in marked:
            parts = re.fullmatch(MARKED, what, re.DOTALL)
            if not parts or (parts[1] == "colour" and not re.fullmatch(HEX, parts[2])):
                raise ValueError("what is marked is a layer, a colour (#rrggbb) or a spot of the art")
        return marked

    @field_validator("specials")
    @classmethod
    def _each_once(cls, specials: list[RunAreaFile]) -> list[RunAreaFile]:
        if len({one.ink for one in specials}) < len(specials):
            raise ValueError("an ink is named twice")
        return specials
