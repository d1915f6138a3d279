"""Art from outside, read behind the door: what comes of a file, and the questions a station asks.

The child gets a folder with the file and writes what Etiquette keeps into the same folder: for pictures 8-bit sRGB with
alpha as PNG; for vector art each page by itself, a picture of it, and its painted paths.
"""

import re
import tempfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from etiquette.core.artwork.arrangement import Arrangement, Box
from etiquette.core.artwork.forms import Form, form_of
from etiquette.sandbox.door import Limits, ask
from etiquette.sandbox.reading import REACHED

if TYPE_CHECKING:
    from etiquette.core.artwork.raster import Picture
    from etiquette.core.artwork.spot_inks import Plate, ShopInk

PICTURES = Limits(seconds=60.0, bytes=4 << 30)
"""200 million pixels of four bytes, the decoder's own copy, and room for one conversion."""
DRAWINGS = Limits(seconds=20.0, bytes=1800 << 20)
"""Drawings need far less; those that would never end are counted and refused before."""


@dataclass(frozen=True)
class ArtRead:
    """One design's worth of art. `content` is the picture as sent or the page by itself; `picture` and `thumb` are PNG;
    `vectors` the painted paths of vector art (files.vectors), else None; the size in mm when the file says it."""

    form: Form
    page: int
    content: bytes
    picture: bytes
    thumb: bytes
    vectors: bytes | None
    width_px: int
    height_px: int
    natural_mm: tuple[float, float] | None
    width_mm: float | None
    ground_told: bool = True
    """Whether art can be told from its ground; False for a photograph that fills its frame."""


@dataclass(frozen=True)
class Separated:
    """Vector art without its finish lines: the page as PDF, a picture of it as PNG, its painted areas (files.vectors),
    and the areas of white, clear and special inks that its colours and layers mark."""

    pdf: bytes
    picture: bytes
    areas: bytes
    marked: bytes | None = None
    left_out: tuple[str, ...] = ()
    """What was taken out of the file because it must not run or be fetched, in words."""
    fonts_lacking: tuple[str, ...] = ()
    """Fonts of its text that are not in it, or that another one stands in for."""
    glass: bool = False
    """Whether anything is see-through."""


def read_art(content: bytes, name: str, reached: Callable[[int, int], None] = lambda *_: None) -> list[ArtRead]:
    """Every picture or page in `content`; `reached` is told how many pages of how many have been read. Raises JobError:
    what the readers raise, or that a limit was passed; those are for a few pages at a time, so that a long document is
    no reason to refuse it."""
    pages: list[ArtRead] = []
    while True:
        more, count = _pages("take in", content, {"name": name, "first": len(pages)}, reached)
        pages += more
        if not more or len(pages) >= count:
            return pages


def _pages(
    job: str, content: bytes, note: dict[str, Any], reached: Callable[[int, int], None] = lambda *_: None
) -> tuple[list[ArtRead], int]:
    """Pages, and how many the file has in all."""
    with tempfile.TemporaryDirectory(prefix="etq-art-") as folder:
        said = _read(job, Path(folder), content, note, _looked(folder, reached))
        return [_page(folder, one, content) for one in said["pages"]], said["count"]


def _looked(folder: str, reached: Callable[[int, int], None]) -> Callable[[], None]:
    """Asks how far the child has come."""

    def look() -> None:
        said = re.fullmatch(rb"(\d{1,6}) (\d{1,6})", (_written(folder, REACHED) or b"")[:20])
        if said:
            reached(int(said[1]), int(said[2]))

    return look


def _page(folder: str, note: dict[str, Any], content: bytes) -> ArtRead:
    number = note["page"]
    return ArtRead(
        note["form"],
        number,
        _written(folder, f"page-{number}") or content,
        (Path(folder) / f"picture-{number}.png").read_bytes(),
        (Path(folder) / f"thumb-{number}.png").read_bytes(),
        _written(folder, f"vectors-{number}"),
        note["width_px"],
        note["height_px"],
        tuple(note["natural_mm"]) if note["natural_mm"] else None,
        note["width_mm"],
        note.get("ground_told", True),
    )


def arrange(content: bytes, name: str, arrangement: Arrangement) -> ArtRead:
    """The one picture or page in `content` turned, mirrored and cropped; a DXF becomes an SVG. Raises JobError."""
    (page,), _ = _pages("arrange", content, {"name": name, "arrangement": asdict(arrangement)})
    return page


def read_pixels(content: bytes, name: str) -> "Picture":
    """The picture in `content`. Raises JobError."""
    import numpy as np

    from etiquette.core.artwork.raster import Picture

    with tempfile.TemporaryDirectory(prefix="etq-art-") as folder:
        said = _read("pixels", Path(folder), content, {"name": name})
        return Picture(np.load(Path(folder) / "pixels.npy", mmap_mode="r"), said["dpi"])


def cut_up(
    content: bytes, name: str, crops: Sequence[Box], reached: Callable[[int, int], None] = lambda *_: None
) -> Iterator[ArtRead]:
    """Parts of the picture in `content`, each cropped to a box in shares of it, from its top left. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-art-") as folder:
        said = _read("cut up", Path(folder), content, {"name": name, "crops": crops}, _looked(folder, reached))
        for one in said["pages"]:
            number = one["page"]
            picture = (Path(folder) / f"picture-{number}.png").read_bytes()
            thumb = (Path(folder) / f"thumb-{number}.png").read_bytes()
            size = (one["width_px"], one["height_px"])
            yield ArtRead("picture", 0, picture, picture, thumb, None, *size, None, one["width_mm"], False)


def pdf_of_postscript(content: bytes, name: str) -> bytes:
    """All pages of a PostScript program as one PDF. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-art-") as folder:
        _read("postscript", Path(folder), content, {"name": name})
        return (Path(folder) / "program.pdf").read_bytes()


def separate(
    content: bytes,
    name: str,
    removals: Mapping[int, str],
    inks: "Mapping[str, str | ShopInk] | None" = None,
    marked: "Mapping[str, Mapping[str, Plate]] | None" = None,
    drawn: bytes | None = None,
) -> Separated:
    """The page in `content` without the paths numbered in `removals` (all of one, or its stroke). `inks` says what
    spots mean: a plate or an ink of the shop; `marked` which "colours" (#rrggbb) and "layers" are areas of a
    plate; `drawn` is the picture of the page as it came, which is not drawn once more where nothing is taken out.
    Raises JobError."""
    as_it_came = drawn is not None and not (removals or inks or any((marked or {}).values()))
    with tempfile.TemporaryDirectory(prefix="etq-art-") as folder:
        meant = {spot: ink if isinstance(ink, str) else asdict(ink) for spot, ink in (inks or {}).items()}
        note = {
            "name": name,
            "removals": {str(key): way for key, way in removals.items()},
            "inks": meant,
            "marked": marked or {},
            "draw": not as_it_came,
        }
        said = _read("separate", Path(folder), content, note)
        return Separated(
            (Path(folder) / "print.pdf").read_bytes(),
            drawn if as_it_came and drawn else (Path(folder) / "picture-0.png").read_bytes(),
            (Path(folder) / "areas").read_bytes(),
            _written(folder, "marked"),
            tuple(said["left_out"]),
            tuple(said["fonts_lacking"]),
            bool(said["glass"]),
        )


def _written(folder: str, name: str) -> bytes | None:
    file = Path(folder) / name
    return file.read_bytes() if file.exists() else None


def _read(
    job: str, folder: Path, content: bytes, note: dict[str, Any], meanwhile: Callable[[], None] = lambda: None
) -> dict[str, Any]:
    (folder / "art").write_bytes(content)
    limits = PICTURES if form_of(content) == "picture" else DRAWINGS
    return ask(job, folder, note, limits, note["name"], meanwhile=meanwhile)
