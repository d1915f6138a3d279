"""The files of a label web from WEB.json alone: art read in the limited child, one repeat made and read back."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from etiquette.cli.folders import make_folder, read_beside, write_file
from etiquette.cli.run_designs import from_picture, from_vectors
from etiquette.core.artwork.forms import form_of
from etiquette.core.artwork.raster import read_picture, width_mm_of
from etiquette.core.cutting.web_pairs import die_line, disagreements, label_design, web_files
from etiquette.core.errors import JobError
from etiquette.core.planning.web_feeding import severed
from etiquette.core.planning.webs import applicator_problems, making, sums
from etiquette.core.printing.plates import PlateWish
from etiquette.core.production.frames import FrameDesign, spots_of
from etiquette.files.run_design_file import RunDesignFile
from etiquette.files.web_file import LabelArtFile, WebFile
from etiquette.sandbox.art import ArtRead, read_art


def make_web(file: WebFile, folder: Path, out: Path) -> dict[str, Any]:
    """Write print.pdf, further plates, cut.pdf and cut.dxf of one repeat into `out`; paths in `file` start at `folder`.
    Returns the summary with all of the arithmetic. Raises JobError; nothing is written then."""
    web, mark, rules = file.to_web(), file.to_mark(), file.to_clearances()
    why = file.what_is_wrong() + applicator_problems(web, file.to_rolls(), file.to_applicator())
    if why:
        raise JobError(" ".join(why), file.name, "Change it in WEB.json.")
    designs = {one.id: _label(one, file, folder) for one in file.art}
    across = file.across or [file.art[0].id]
    made = web_files(
        web,
        designs,
        across,
        mark,
        file.name,
        file.to_look(),
        PlateWish(),
        file.cylinder.to_cylinder() if file.cylinder else None,
        file.to_station_boxes(),
    )
    if wrong := disagreements(made):
        raise JobError(
            f"The pair of files does not match. {' '.join(wrong)}", file.name, "Tell us: this is our mistake."
        )
    make_folder(out)
    spots = {f"{ink.lower()}.pdf": plate for ink, plate in made.printed.spots.items() if plate}
    held = {"print.pdf": made.printed.colour, **spots}
    if not file.feeding.cut_already:
        held |= {"cut.pdf": made.cut_pdf, "cut.dxf": made.cut_dxf}
        held |= {"plate.dxf": made.plate_dxf} if made.plate_dxf else {}
    made_of = making(web, file.to_rolls())
    written = [write_file(out / name, content) for name, content in held.items()]
    return {
        "out": str(out),
        "files": written,
        "sums": _rounded(asdict(sums(web))),
        "mark": _rounded(asdict(mark)) if mark else None,
        "clearances": [f"{one.words}: {one.there_mm:.2f} mm, {one.asked}" for one in rules],
        "making": _rounded({**asdict(made_of), "severed": severed(web, file.feeding.to_feeding(), made_of)}),
    }


def _rounded(values: dict[str, Any]) -> dict[str, Any]:
    return {name: round(one, 4) if isinstance(one, float) else one for name, one in values.items()}


def _label(wish: LabelArtFile, file: WebFile, folder: Path) -> FrameDesign:
    content = read_beside(folder, wish.art)
    pages = read_art(content, wish.art)
    if wish.page > len(pages):
        raise JobError(f"The file has {len(pages)} pages.", wish.art, "Give one of them.")
    page, web = pages[wish.page - 1], file.to_web()
    design = RunDesignFile(
        id=wish.id, art=wish.art, page=wish.page, width_mm=wish.width_mm, bleed_mm=file.bleed_mm, ground="auto"
    )
    width, height = _size(wish, page, content)
    middle = (width / 2, height / 2)
    die = die_line(web.label, middle)
    if form_of(content) == "picture":
        art, ready, _ = from_picture(design, page, content, [die])
    else:
        art, ready, _ = from_vectors(design, page, folder, [die])
    return label_design(art, middle, web, spots_of(ready.spots, raised=False))


def _size(wish: LabelArtFile, page: ArtRead, content: bytes) -> tuple[float, float]:
    """Of the art at its real size, mm. Raises JobError."""
    if form_of(content) == "picture":
        picture = read_picture(page.picture, wish.art)
        width: float | None = wish.width_mm or page.width_mm or width_mm_of(picture)
        proportion = picture.height_px / picture.width_px
    else:
        width = wish.width_mm or page.width_mm
        proportion = page.natural_mm[1] / page.natural_mm[0] if page.natural_mm else 1.0
    if width is None:
        raise JobError("The file does not say how large it is.", wish.art, "Give its width.")
    return width, width * proportion
