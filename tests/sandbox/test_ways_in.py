"""Every way in goes through the door: files that carry a sign are sent by each of them, and no reader of foreign files
that this process has ever sees the sign. The children of the door are other processes: theirs see it.

What is read here is what the door gave: a font that was written anew, rows as JSON Lines, a picture as our own PNG, a
page that was taken apart. The sign is in none of these, which is tried, too."""

import io
import subprocess
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ezdxf
import lxml.etree
import numpy as np
import pikepdf
import PIL.Image
import PIL.ImageCms
import pypdfium2
import pytest
import python_calamine
from fontTools import ttLib
from PIL.PngImagePlugin import PngInfo
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.demo import ink_profile
from etiquette.devices.addresses import parsed
from etiquette.devices.http_eye import HttpEye
from etiquette.intake import job_saving
from etiquette.stations import line_finding, run_edits, runs
from etiquette.stations.lines import editing, rows, taking_in
from etiquette.stations.print import plating, previews
from etiquette.stations.print.preflight import preflight
from etiquette.stations.run import dies, nesting, webs
from etiquette.stations.run import tasks as run_tasks
from etiquette.stations.shelf import card_printing, profiles
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Plate, WebPart
from tests.stations.shop_floor import do, fill_shelf, take_in_job
from tests.vector_art import SLEEVE_SVG, box_dxf, label_pdf

SIGN = b"SIGN-OF-A-STRANGER"
FONT = Path("/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf")
PROGRAMS = ("gs", "rsvg-convert", "potrace", "pdftoppm", "qpdf", "lou_translate")


class SeenHere(BaseException):
    """A foreign file was read outside the door. No Exception: nothing takes it for a file that is damaged."""


def content_of(given: Any) -> bytes:
    if isinstance(given, str | Path):
        return Path(given).read_bytes() if Path(given).is_file() else str(given).encode()
    if hasattr(given, "getvalue"):
        return bytes(given.getvalue())
    if hasattr(given, "read"):
        at = given.tell()
        held = given.read()
        given.seek(at)
        return held if isinstance(held, bytes) else held.encode()
    return bytes(given) if isinstance(given, bytes | bytearray | memoryview) else b""


def watched(patch: pytest.MonkeyPatch, owner: Any, name: str) -> None:
    whole = getattr(owner, name)

    def reads(*given: Any, **more: Any) -> Any:
        for one in (*given[name == "__init__" :], *more.values()):
            if SIGN in content_of(one):
                raise SeenHere(f"{owner.__name__}.{name}")
        return whole(*given, **more)

    patch.setattr(owner, name, reads)


@pytest.fixture
def guarded(monkeypatch: pytest.MonkeyPatch) -> None:
    """Every reader that this process has looks for the sign, and no program is begun that reads files."""
    for owner, name in (
        (PIL.Image, "open"), (pikepdf, "open"), (pikepdf.Pdf, "open"), (pypdfium2.PdfDocument, "__init__"),
        (ttLib.TTFont, "__init__"), (PIL.ImageCms.ImageCmsProfile, "__init__"), (zipfile.ZipFile, "__init__"),
        (lxml.etree, "fromstring"), (lxml.etree, "parse"), (ezdxf, "readfile"), (ezdxf, "read"),
        (python_calamine, "load_workbook"),
    ):  # fmt: skip
        watched(monkeypatch, owner, name)
    begun = subprocess.Popen.__init__

    def begins(self: Any, command: Any, *given: Any, **more: Any) -> None:
        if Path(str(command[0])).name in PROGRAMS:
            raise SeenHere(f"{command[0]} was begun")
        begun(self, command, *given, **more)

    monkeypatch.setattr(subprocess.Popen, "__init__", begins)


def picture(form: str = "PNG", size: tuple[int, int] = (240, 180)) -> bytes:
    """A disc on white, with the sign in it."""
    y, x = np.mgrid[: size[1], : size[0]]
    pixels = np.full((size[1], size[0], 3), 255, np.uint8)
    pixels[np.hypot(x - size[0] / 2, y - size[1] / 2) < size[1] * 0.4] = (20, 90, 160)
    out = io.BytesIO()
    more: dict[str, Any] = {"dpi": (300, 300)}
    if form == "PNG":
        more["pnginfo"] = PngInfo()
        more["pnginfo"].add_text("Comment", SIGN.decode())
    if form == "JPEG":
        more["comment"] = SIGN
    if form == "TIFF":
        more["description"] = SIGN.decode()
    PIL.Image.fromarray(pixels).save(out, form, **more)
    return out.getvalue()


ART: dict[str, Callable[[], bytes]] = {
    "disc.png": lambda: picture("PNG"),
    "disc.jpg": lambda: picture("JPEG"),
    "disc.tif": lambda: picture("TIFF"),
    "label.pdf": lambda: label_pdf() + b"\n%" + SIGN + b"\n",
    "sleeve.svg": lambda: SLEEVE_SVG + b"<!-- " + SIGN + b" -->",
    "box.dxf": lambda: b"999\n" + SIGN + b"\n" + box_dxf(),
    "mark.eps": lambda: b"%!PS\n%%BoundingBox: 0 0 200 100\n%" + SIGN + b"\n20 20 160 60 rectfill\n",
}


def taken(shop: Shop, name: str, made: bytes | None = None) -> int:
    wanted = {"due_count": 2, "ready": True, "width_mm": 40.0}
    return taking_in.take_in(shop, made or ART[name](), name, None, wanted)[0]


@pytest.fixture
def shelf(shop: Shop) -> Shop:
    shop.database.within(fill_shelf)
    return shop


def test_the_guard_sees_what_is_read_here(guarded: None) -> None:
    for name in ("disc.png", "disc.jpg", "disc.tif", "label.pdf"):
        content = ART[name]()
        with pytest.raises(SeenHere):
            pikepdf.open(io.BytesIO(content)) if name.endswith("pdf") else PIL.Image.open(io.BytesIO(content))
    with pytest.raises(SeenHere):
        subprocess.run(["gs", "--version"], check=False)


@pytest.mark.parametrize("name", list(ART))
def test_art_from_its_file_to_the_plate_and_its_pictures(shelf: Shop, name: str, guarded: None) -> None:
    """Taken in, its lines found, a run laid, print files made with their ink, looked at as they print."""
    content = ART[name]()
    assert SIGN in content
    design = taken(shelf, name, content)
    do(shelf, line_finding.find_lines, design_id=design)
    run = shelf.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 2}]))
    do(shelf, nesting.nest_run, run_id=run, steps=1)
    (number,) = do(shelf, plating.make_plates, run_id=run)["plate_ids"]
    plate = shelf.database.within(lambda session: session.get_one(Plate, number))
    assert plate.summary.inks
    assert previews.preview_of(shelf, plate, "colour") and previews.part_of(
        shelf, plate, "colour", (0, 0, 50, 50), 60.0
    )
    unasked = JobError("Nobody asked it.", "printer", "")
    shelf.database.within(lambda session: preflight(shelf, session, runs.state_of(shelf, session, run), unasked))


@pytest.mark.parametrize("name", ["disc.png", "label.pdf"])
def test_labels_of_a_web_and_what_fills_them(shelf: Shop, name: str, guarded: None) -> None:
    """The pair of files made and read back, then made with rows over the art."""
    design = taken(shelf, name)

    def filled(session: Session) -> int:
        row = session.get_one(Design, design)
        text = {"what": "text", "name": "Name", "says": "{name}", "width_mm": 20, "height_mm": 6}
        held = row.document.rows.model_dump(mode="json") if row.document.rows else {}
        editing.change(session, design, row.revision, "rows", {"rows": {**held, "fields": [text]}})
        return webs.begin(shelf, session, [design])

    rows.take_table(shelf, design, 1, b"name\n" + SIGN + b"\nother\n", "names.csv")
    web = shelf.database.within(filled)
    do(shelf, run_tasks.make_web_files.work, web_id=web)
    (part,) = shelf.database.within(
        lambda session: session.scalars(select(WebPart).where(WebPart.web_id == web, WebPart.name == "print.pdf")).all()
    )
    pages = subprocess.run(["pdfinfo", shelf.blobs.path(part.content_sha)], capture_output=True, text=True, check=True)
    assert "Pages:           2" in pages.stdout


def test_art_that_replaces_other_art_or_is_its_white(shelf: Shop, guarded: None) -> None:
    design = taken(shelf, "disc.png")
    taking_in.replace_art(shelf, design, ART["disc.jpg"](), "newer.jpg")
    taking_in.set_plate_art(shelf, design, "white", ART["disc.png"](), "white.png")
    do(shelf, line_finding.find_lines, design_id=design)
    with pytest.raises(JobError):
        taking_in.replace_art(shelf, design, SIGN * 40, "of nothing.pdf")


def test_fonts_tables_profiles_and_dies(shelf: Shop, guarded: None) -> None:
    assert rows.take_font(shelf, FONT.read_bytes() + SIGN, "a font.ttf")
    design = taken(shelf, "disc.png")
    revision = shelf.database.within(lambda session: session.get_one(Design, design).revision)
    rows.take_table(shelf, design, revision, b"name,code\n" + SIGN + b",1\n", "names.csv")
    number = profiles.take(shelf, ink_profile.profile("Invented inks") + SIGN, "inks.icc")
    assert number
    dies.take(shelf, ART["label.pdf"](), "die.pdf")


def test_pictures_of_scanners_cameras_and_eyes(shelf: Shop, guarded: None, monkeypatch: pytest.MonkeyPatch) -> None:
    assert card_printing.keep_scan(shelf, picture("TIFF", (600, 400))).mm_per_px == pytest.approx(25.4 / 300, rel=1e-3)
    eye = HttpEye("eye", parsed("http://127.0.0.1:9/head", "eye"))
    said = {"x-position-mm": "1,2", "x-mm-per-px": "0.1"}
    monkeypatch.setattr(eye, "_got", lambda path: (picture("JPEG"), said))
    assert eye.look().pixels.shape == (180, 240)
    with pytest.raises(JobError):
        monkeypatch.setattr(eye, "_got", lambda path: (SIGN * 9, said))
        eye.look()


def test_a_whole_job_of_another_shop(shelf: Shop, guarded: None) -> None:
    design = taken(shelf, "disc.png")
    job = shelf.database.within(lambda session: session.get_one(Design, design).job_id)
    out = io.BytesIO()
    job_saving.save(shelf, job, out)
    assert take_in_job(shelf, out.getvalue() + SIGN)
