"""What the content streams of one PDF page paint, as it is gathered, and how much of it is too much."""

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Literal

import pikepdf
from shapely import Polygon
from shapely.geometry.base import BaseGeometry

from etiquette.core.artwork.pdf_state import Layers
from etiquette.core.artwork.vectors import PaintedPath, Seen
from etiquette.core.errors import JobError
from etiquette.core.geometry.polygons import polygons_of

MOST_OPERATORS = 500_000
"""Walking takes some 15 microseconds for each; a drawing of so many is a map, not a label."""
MOST_STREAM_BYTES = 80 << 20
COMMANDS = re.compile(rb"(?<=[\s\])>])[A-Za-z][A-Za-z0]{0,2}[*]?(?=[\s/\[(<]|$)")
"""Operators in a content stream, near enough for counting (ISO 32000-1, annex A)."""

Removal = Literal["keep", "fill", "stroke", "all"]
Decide = Callable[[PaintedPath], Removal]


@dataclass
class Gathered:
    """What the streams of one page paint, as it is gathered; `decide` None: nothing is taken out. `unreached` are spots
    in which text and pictures are painted, `unreached_layers` the layers of these: they cannot be taken apart as paths
    can. `veiled` are places of pictures that are seen in part only."""

    pdf: pikepdf.Pdf
    name: str
    layers: Layers
    decide: Decide | None
    paths: list[PaintedPath] = field(default_factory=list)
    images: list[Polygon] = field(default_factory=list)
    veiled: list[BaseGeometry] = field(default_factory=list)
    hidden: set[str] = field(default_factory=set)
    unreached: set[str] = field(default_factory=set)
    unreached_layers: set[str] = field(default_factory=set)
    texts: int = 0
    clips_by_text: bool = False
    count: int = 0
    operators: int = 0

    def add_picture(self, place: BaseGeometry, seen: Seen) -> None:
        """A picture or a shading fills `place`."""
        if seen == "whole":
            self.images += polygons_of(place)
        elif seen == "partly":
            self.veiled.append(place)

    def refuse_large(self, streams: Iterable[bytes]) -> None:
        """Raises JobError when `streams` are too much to walk: counted before they are parsed, so that the sentence
        does not depend on how fast the machine is."""
        size = commands = 0
        for part in streams:
            size += len(part)
            if size > MOST_STREAM_BYTES:
                raise JobError(
                    f"The drawing has {size / 1e6:.0f} million bytes of commands; the most is "
                    f"{MOST_STREAM_BYTES / 1e6:.0f} million.",
                    self.name,
                    "Simplify it, or save it as a picture.",
                )
            commands += sum(1 for _ in COMMANDS.finditer(part))
            if commands > MOST_OPERATORS:
                raise self.too_many()

    def too_many(self) -> JobError:
        """What is said of a drawing beyond all measure."""
        most = f"{MOST_OPERATORS:,}".replace(",", " ")
        return JobError(
            f"The drawing has more than {most} commands.", self.name, "Simplify it, or save it as a picture."
        )
