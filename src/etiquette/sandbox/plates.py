"""Plates, and what is told of them, made in a child of its own: a plate takes customers' pages and pictures in as they
came, and whatever reads them for that reads what a stranger made.

What the child is given is pickled: it comes from us. What it gives back is files and JSON, never a pickle."""

import pickle
import tempfile
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any

from etiquette.core.artwork.raster import Picture
from etiquette.core.marking.frames import FramePlan
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.planning.problem import Placement
from etiquette.core.planning.weeding import Stroke
from etiquette.core.printing.coverage import Coverage, coverage
from etiquette.core.printing.filled import PictureOf
from etiquette.core.printing.plates import Fills, PlateWish
from etiquette.core.production.frames import FrameDesign, FrameFiles, frame_files, frame_lines, to_pdfx4
from etiquette.core.variable.filling import DrawnPicture, FilledCopy
from etiquette.sandbox.door import Limits, ask

LIMITS = Limits(seconds=900.0, bytes=6 << 30)
FACTS = Limits(seconds=60.0, bytes=4 << 30)
GIVEN = "given.pickle"


@dataclass(frozen=True)
class Kept:
    """Reads the pictures that rows name, from files that the parent has laid ready."""

    files: Mapping[str, str]

    def __call__(self, name: str) -> Picture:
        with open(self.files[name], "rb") as file:
            held: Picture = pickle.load(file)
        return held


def frame_files_of(
    designs: Mapping[str, FrameDesign],
    placements: Sequence[Placement],
    plan: FramePlan,
    recipe: MarkRecipe,
    title: str,
    wish: PlateWish,
    weed: Sequence[Stroke],
    pdfx4: datetime | None = None,
    **more: Any,
) -> FrameFiles:
    """`core.production.frames.frame_files`, as PDF/X-4 made at `pdfx4` if that is given. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-plates-") as place:
        folder = Path(place)
        if fills := more.get("fills"):
            more = {**more, "fills": _laid_ready(fills, folder)}
        given = (designs, placements, plan, recipe, title, wish)
        with (folder / GIVEN).open("wb") as file:
            pickle.dump((given, {**more, "weed": weed}, pdfx4), file, pickle.HIGHEST_PROTOCOL)
        said = ask("plates", folder, {}, LIMITS, title)
        return replace(files_of(folder, said), lines=frame_lines(designs, placements, weed))


def files_of(folder: Path, said: dict[str, Any]) -> FrameFiles:
    """What a child has `written` into its folder."""

    def read(number: int | None) -> bytes | None:
        return None if number is None else (folder / f"{int(number)}.pdf").read_bytes()

    return FrameFiles(
        read(said["colour"]) or b"",
        {ink: read(number) for ink, number in said["spots"].items()},
        [],
        None,
        {name: [str(one) for one in words] for name, words in said["kept"].items()},
        read(said["other"]),
    )


def _laid_ready(fills: Fills, folder: Path) -> Fills:
    return replace(fills, picture_of=pictures_ready(fills.copies.values(), fills.picture_of, folder))


def pictures_ready(copies: Iterable[FilledCopy], picture_of: PictureOf | None, folder: Path) -> Kept | None:
    """The pictures that copies show, each read behind the door before, laid ready for another child."""
    names = {one.name for copy in copies for one in copy.drawn if isinstance(one, DrawnPicture)}
    files = {}
    for number, name in enumerate(sorted(names)):
        assert picture_of is not None
        files[name] = str(folder / f"picture {number}")
        with open(files[name], "wb") as file:
            pickle.dump(picture_of(name), file, pickle.HIGHEST_PROTOCOL)
    return Kept(files) if names else None


def coverage_of(pdf: bytes, name: str, profile: bytes | None = None) -> Coverage:
    """`core.printing.coverage.coverage` of a plate. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-ink-") as place:
        folder = Path(place)
        (folder / "whole.pdf").write_bytes(pdf)
        if profile is not None:
            (folder / "inks.icc").write_bytes(profile)
        said = ask("coverage", folder, {"name": name, "profile": profile is not None}, FACTS, name)
        return Coverage({str(ink): float(share) for ink, share in said["shares"].items()}, float(said["most"]))


# --- the child


def make(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    with (folder / GIVEN).open("rb") as file:
        given, more, pdfx4 = pickle.load(file)
    made = frame_files(*given, **more)
    if pdfx4 is not None:
        made = to_pdfx4(made, given[4], pdfx4)
    return written(folder, made)


def written(folder: Path, made: FrameFiles) -> dict[str, Any]:
    """The files in the folder of the child, and what is said of them."""
    count = 0

    def kept(pdf: bytes | None) -> int | None:
        nonlocal count
        if pdf is None:
            return None
        count += 1
        (folder / f"{count}.pdf").write_bytes(pdf)
        return count

    spots = {ink: kept(pdf) for ink, pdf in made.spots.items()}
    return {"colour": kept(made.colour), "spots": spots, "other": kept(made.other), "kept": dict(made.kept)}


def cover(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    profile = (folder / "inks.icc").read_bytes() if note["profile"] else None
    return asdict(coverage((folder / "whole.pdf").read_bytes(), note["name"], profile))
