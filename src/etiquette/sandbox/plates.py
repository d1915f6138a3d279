"""Plates, and what is told of them, made in a child of its own: a plate takes customers' pages and pictures in as they
came, and whatever reads them for that reads what a stranger made.

What the child is given is pickled: it comes from us. What it gives back is files and JSON, never a pickle."""

import pickle
import tempfile
from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from io import BytesIO
from pathlib import Path
from typing import Any

import pikepdf

from etiquette.core.artwork.raster import Picture
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.planning.problem import Placement
from etiquette.core.planning.weeding import Stroke
from etiquette.core.printing.art_colours import ArtColours, of_designs
from etiquette.core.printing.coverage import Coverage, coverage
from etiquette.core.printing.filled import PictureOf
from etiquette.core.printing.plates import Fills, PlateWish, SpotInk
from etiquette.core.printing.previews import preview
from etiquette.core.production.frames import FrameDesign, FrameFiles, frame_files, frame_lines, to_pdfx4
from etiquette.core.variable.filling import DrawnPicture, FilledCopy
from etiquette.sandbox.door import Limits, ask

LIMITS = Limits(seconds=900.0, bytes=6 << 30)
SEEN = Limits(seconds=180.0, bytes=4 << 30)
SEPARATED_AT_ONCE = 2
GIVEN, PROFILE, PICTURE = "given.pickle", "inks.icc", "picture.png"


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


@dataclass(frozen=True)
class Seen:
    """What is seen of the plates of a frame. `picture`: the colour plate as PNG, at `picture_dpi`; `inks`: of that
    plate; `spots` and `other`: the share of the page that each ink of a further plate covers; `colours`: of the art, by
    its name on the colour plate."""

    picture: bytes
    picture_dpi: float
    inks: Coverage
    spots: Mapping[SpotInk, Mapping[str, float]]
    other: Mapping[str, float]
    colours: Mapping[str, ArtColours]


def seen_of(files: FrameFiles, name: str, profile: bytes | None = None) -> Seen:
    """`profile`: of the inks of the process (CMYK). Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-seen-") as place:
        folder = Path(place)
        note = written(folder, files)
        if profile is not None:
            (folder / PROFILE).write_bytes(profile)
        said = ask("plates seen", folder, {**note, "name": name}, SEEN, name)
        return Seen(
            (folder / PICTURE).read_bytes(),
            float(said["dpi"]),
            Coverage(_shares(said["inks"]["shares"]), float(said["inks"]["most"])),
            {ink: _shares(shares) for ink, shares in said["spots"].items()},
            _shares(said["other"]),
            {name: ArtColours(**{**one, "spaces": set(one["spaces"])}) for name, one in said["colours"].items()},
        )


def _shares(said: Mapping[str, Any]) -> dict[str, float]:
    return {str(ink): float(share) for ink, share in said.items()}


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


def see(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    inks = folder / PROFILE
    profile = inks.read_bytes() if inks.exists() else None

    def plate(number: int) -> bytes:
        return (folder / f"{number}.pdf").read_bytes()

    colour, spots = plate(note["colour"]), {ink: number for ink, number in note["spots"].items() if number}
    with ThreadPoolExecutor(SEPARATED_AT_ONCE) as pool:  # Ghostscript separates while PDFium draws
        covered = pool.submit(coverage, colour, note["name"], profile)
        beside = {ink: pool.submit(coverage, plate(number), note["name"]) for ink, number in spots.items()}
        other = pool.submit(coverage, plate(note["other"]), note["name"], profile) if note["other"] else None
        picture, dpi = preview(colour)
        (folder / PICTURE).write_bytes(picture)
        with pikepdf.open(BytesIO(colour)) as document:
            colours = {
                name: {**asdict(one), "spaces": sorted(one.spaces)} for name, one in of_designs(document).items()
            }
        return {
            "dpi": dpi,
            "inks": asdict(covered.result()),
            "spots": {ink: one.result().shares for ink, one in beside.items()},
            "other": other.result().shares if other else {},
            "colours": colours,
        }
