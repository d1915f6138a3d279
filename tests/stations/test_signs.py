"""Braille on a sign goes into a plate of its own, in register with its colours; on the back of clear stock colours are
mirrored and dots are not. Plates are read by pikepdf and PDFium."""

import subprocess
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pypdfium2 as pdfium
import pytest
from PIL import Image, ImageDraw
from scipy import ndimage
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.stations import edits, line_finding, run_edits, runs
from etiquette.stations.floor import proofs
from etiquette.stations.lines import editing, signs, taking_in, tiling
from etiquette.stations.lines.signs_schemas import BrailleAsked
from etiquette.stations.lines.taking_in import ArrangeStep
from etiquette.stations.print import heights, plating
from etiquette.stations.print.beds import Printed
from etiquette.stations.print.following import documents_for
from etiquette.stations.print.loading import modes_of
from etiquette.stations.print.preflight import preflight
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Plate, Printer, PrintMode, Run
from tests.stations.shop_floor import do, fill_shelf

MM = 25.4 / 72


@pytest.fixture
def sign(shop: Shop) -> int:
    """A cabin sign of 120 × 60 mm, blue with a red bar at its left."""

    def shelf(session: Any) -> None:
        fill_shelf(session)
        for printer in session.scalars(select(Printer)):
            printer.plates = ["white", "colour", "clear", "braille"]

    shop.database.within(shelf)
    picture = Image.new("RGB", (480, 240), (30, 60, 120))
    ImageDraw.Draw(picture).rectangle((0, 0, 60, 240), fill=(200, 30, 30))
    out = BytesIO()
    picture.save(out, "PNG")
    wanted = {"width_mm": 120.0, "due_count": 1, "follow": "page", "offset_mm": 0.0, "ready": True}
    (made,) = taking_in.take_in(shop, out.getvalue(), "cabin.png", None, wanted)
    return made


def put(shop: Shop, design: int, text: str = "CABIN 12", **more: Any) -> Any:
    number = shop.database.within(lambda session: edits.locked(session, "design", design).revision)
    signs.put(shop, design, BrailleAsked(revision=number, text=text, **more))
    return held(shop, design)


def held(shop: Shop, design: int) -> Any:
    return shop.database.within(lambda session: session.get_one(Design, design).document.braille)


def plated(shop: Shop, design: int) -> Plate:
    do(shop, line_finding.find_lines, design_id=design)
    run = shop.database.within(lambda session: run_edits.create(session, "Signs", [{"design_id": design, "count": 1}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    (plate,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    return shop.database.within(lambda session: session.get_one(Plate, plate))


def dots_on(shop: Shop, plate: Plate) -> np.ndarray:
    """Middles (n, 2) of what PDFium draws of the plate of braille, mm from its lower left corner."""
    page = pdfium.PdfDocument(shop.blobs.read(plate.braille_sha))[0]
    seen = np.asarray(page.render(scale=400 / 72).to_pil().convert("L")) < 235
    labels, count = ndimage.label(seen)
    places = np.array(ndimage.center_of_mass(seen, labels, range(1, count + 1)))
    return np.column_stack([places[:, 1], seen.shape[0] - places[:, 0]]) * 25.4 / 400


def test_dots_stand_on_a_plate_of_their_own_in_register(shop: Shop, sign: int) -> None:
    made = put(shop, sign, x_mm=30.0, y_mm=12.0)
    assert made.cells == "⠉⠁⠃⠔⠀⠼⠁⠃" and made.back == "cabin 12" and made.box[:2] == (30, 12)
    plate = plated(shop, sign)
    assert plate.summary.order[-1] == "braille"
    with pikepdf.open(BytesIO(shop.blobs.read(plate.braille_sha))) as pdf:
        named = [str(one[1]) for one in pdf.objects if isinstance(one, pikepdf.Array) and str(one[0]) == "/Separation"]
        assert named == ["/Braille"]
        box = [float(value) * MM for value in pdf.pages[0].mediabox]
    assert box[2:] == pytest.approx([plate.summary.plan.width_mm, plate.summary.plan.length_mm], abs=0.01)
    x0, y0, *_ = plate.summary.plan.work
    asked = np.array(made.dots) + [x0 + 30, y0 + 12]
    found = dots_on(shop, plate)
    order = np.lexsort(found.round(1).T), np.lexsort(asked.round(1).T)
    assert len(found) == len(asked) and np.abs(found[order[0]] - asked[order[1]]).max() < 0.08


def test_ghostscript_finds_one_separation_of_braille_as_large_as_its_dots(
    shop: Shop, sign: int, tmp_path: Path
) -> None:
    """At 600 dots an inch, by tiffsep: nothing in the process inks, and as much of Braille as so many bases of dots
    cover; a pixel that a circle touches is painted."""
    made = put(shop, sign, x_mm=30.0, y_mm=12.0)
    plate = plated(shop, sign)
    (tmp_path / "braille.pdf").write_bytes(shop.blobs.read(plate.braille_sha))
    command = ["gs", "-q", "-dSAFER", "-dBATCH", "-dNOPAUSE", "-sDEVICE=tiffsep", "-r600"]
    subprocess.run([*command, f"-sOutputFile={tmp_path}/sep.tif", str(tmp_path / "braille.pdf")], check=True)
    inks = {
        one.name.partition("(")[2].partition(")")[0]: 1 - np.asarray(Image.open(one).convert("L")) / 255
        for one in tmp_path.glob("sep*(*)*")
    }
    assert set(inks) == {"Cyan", "Magenta", "Yellow", "Black", "Braille"}
    assert all(inks[name].max() == 0 for name in ("Cyan", "Magenta", "Yellow", "Black"))
    px, radius = 25.4 / 600, 0.775
    touched = np.pi * radius**2 + 4 * radius * px + px**2  # pixels that a disc touches: Steiner's formula for a square
    assert inks["Braille"].sum() * px**2 == pytest.approx(len(made.dots) * touched, rel=0.01)


def test_dots_are_on_the_front_where_colours_are_on_the_back(shop: Shop, sign: int) -> None:
    """Art is mirrored, as it is printed on the back; turned over its long edge, the stock has the dots where the sign
    says, as they are read and not mirrored, the bar of the art to their left."""
    made = put(shop, sign, x_mm=30.0, y_mm=12.0)
    number = shop.database.within(lambda session: edits.locked(session, "design", sign).revision)
    taking_in.arrange_art(shop, sign, number, ArrangeStep(do="second surface"))
    plate = plated(shop, sign)
    wide = plate.summary.plan.width_mm
    x0, y0, x1, _ = plate.summary.plan.work
    colours = np.asarray(pdfium.PdfDocument(shop.blobs.read(plate.pdf_sha))[0].render(scale=MM).to_pil().convert("RGB"))
    middle = colours[colours.shape[0] - round(y0 + 30)].astype(int)
    red = np.nonzero((middle[:, 0] - middle[:, 2]) > 80)[0]
    assert red.max() > x1 - 3  # mirrored: the bar is at the right of the print
    # seen from the front: the print's right edge is the left one
    left = wide - x1
    asked = np.array(made.dots) + [left + 30, y0 + 12]
    found = dots_on(shop, plate)
    order = np.lexsort(found.round(1).T), np.lexsort(asked.round(1).T)
    assert np.abs(found[order[0]] - asked[order[1]]).max() < 0.08
    # it would be printed on the back with the rest: hands turn the stock over first
    assert plate.summary.braille_apart and "braille" in plate.summary.order
    sent = shop.database.within(lambda session: documents_of(shop, session, plate))
    assert "colour" in sent and "braille" not in sent
    assert any("when the stock is turned over" in one.words for one in checks(shop))


def documents_of(shop: Shop, session: Session, plate: Plate) -> list[str]:
    """What goes to the printer of a frame, by name."""
    run = session.get_one(Run, plate.run_id)
    return [one.name for one in documents_for(shop, [Printed("here", plate)], run)]


def checks(shop: Shop) -> list[Any]:
    nobody = JobError("Nobody asked.", "printer", "Ask.")

    def asked(session: Any) -> list[Any]:
        return preflight(shop, session, runs.state_of(shop, session, session.scalar(select(Run.id))), nobody)

    return shop.database.within(asked)


def test_a_printer_that_lays_down_no_braille_is_told(shop: Shop, sign: int) -> None:
    put(shop, sign)

    plated(shop, sign)

    def with_less(session: Any) -> None:
        for printer in session.scalars(select(Printer)):
            printer.plates = ["white", "colour"]

    shop.database.within(with_less)
    said = [one.words for one in checks(shop)]
    assert any("lays down no braille" in one for one in said)
    assert any("has a reader of braille proofed it?" in one for one in said)


def test_braille_off_the_sign_stands_in_the_way(shop: Shop, sign: int) -> None:
    put(shop, sign, x_mm=90.0, y_mm=12.0)
    plated(shop, sign)
    assert [one.state for one in checks(shop) if "reaches off the sign" in one.words] == ["stop"]


def test_only_its_place_changes_once_it_is_made(shop: Shop, sign: int) -> None:
    first = put(shop, sign)
    moved = put(shop, sign, x_mm=50.0)
    assert moved.dots == first.dots and moved.x_mm == 50
    put(shop, sign, text="")
    assert held(shop, sign) is None
    with pytest.raises(JobError, match="asks for contracted"):
        put(shop, sign, table="en-ueb-g1.ctb")
    with pytest.raises(JobError, match="no sizes"):
        put(shop, sign, sizes="large")
    put(shop, sign)
    number = shop.database.within(lambda session: edits.locked(session, "design", sign).revision)
    shop.database.within(lambda session: tiling.begin(session, sign, number))
    with pytest.raises(JobError, match="with braille is not taken apart"):
        do(shop, tiling.make_tiles, design_id=sign)


def test_heights_come_as_a_picture_of_sixteen_bits(shop: Shop, sign: int) -> None:
    made = put(shop, sign)
    picture = Image.open(BytesIO(signs.heights(shop, sign, 300)))
    assert picture.mode.startswith("I;16")
    assert picture.size == pytest.approx((made.width_mm / 25.4 * 300, made.height_mm / 25.4 * 300), abs=1)


def test_braille_is_built_up_in_a_mode_of_its_own_that_no_run_can_choose(shop: Shop, sign: int) -> None:
    put(shop, sign)
    plate = plated(shop, sign)

    def mode(session: Session) -> list[str]:
        run = session.get_one(Run, plate.run_id)
        session.add(
            PrintMode(
                stock_id=run.document.stock_id, printer_id=run.document.printer_id, name="Dots", dpi=600, passes=30,
                two_way=False, m2_per_hour=1, ink_ml_m2=10, drying_minutes=0, tactile=True,
            )
        )  # fmt: skip
        session.flush()
        return [one.name for one in modes_of(session, run.document)]

    assert any("built up in the mode of the run" in one.words for one in checks(shop))
    assert "Dots" not in shop.database.within(mode)
    assert any("Braille is built up in Dots: 30 passes" in one.words for one in checks(shop))

    def documents(session: Session) -> dict[str, str]:
        printed = [Printed("here", session.get_one(Plate, plate.id))]
        held = documents_for(shop, printed, session.get_one(Run, plate.run_id))
        return {one.name: one.mode for one in held}

    assert shop.database.within(documents) == {"colour": "", "braille": "Dots"}


def test_raised_letters_too_near_to_the_braille_are_told_with_their_place(shop: Shop, sign: int) -> None:
    place = {"clear": "area", "clear_area": [10.0, 20.0, 60.0, 20.0], "clear_choke_mm": 0.0, "clear_raised": True}
    shop.database.within(lambda session: editing.change(session, sign, None, "raised bar", place))
    put(shop, sign, y_mm=12.0)
    plated(shop, sign)

    def told(session: Session) -> Any:
        return signs.placement(shop, session, sign)

    shown = shop.database.within(told)
    assert shown.rules and "1220 mm" in shown.mounting
    # the bar lies 20 to 40 mm above the foot; the dots reach up to less than 9.5 mm below it
    assert any("from the braille: 9.5 mm at least" in one.words for one in shown.told)
    assert any("(703.2.6), and 1 more at Lines" in one.words for one in checks(shop))
    put(shop, sign, y_mm=2.0)
    assert not any("from the braille" in one.words for one in shop.database.within(told).told)


@pytest.mark.parametrize("behind", [False, True])
def test_the_heights_of_a_frame_stand_where_its_plate_has_dots(shop: Shop, sign: int, behind: bool) -> None:
    put(shop, sign, x_mm=30.0, y_mm=5.0)
    if behind:
        number = shop.database.within(lambda session: edits.locked(session, "design", sign).revision)
        taking_in.arrange_art(shop, sign, number, ArrangeStep(do="second surface"))
    plate = plated(shop, sign)
    content = heights.heights_of(shop, plate.id, 400)
    picture = np.asarray(Image.open(BytesIO(content)))
    assert picture.dtype == np.uint16 and picture.max() > 65_000
    labels, count = ndimage.label(picture)
    places = np.array(ndimage.center_of_mass(picture, labels, range(1, count + 1)))
    made = np.column_stack([places[:, 1] + 0.5, picture.shape[0] - places[:, 0] - 0.5]) * 25.4 / 400
    seen = dots_on(shop, plate)
    assert len(made) == len(seen)
    away = np.hypot(*(made[:, None] - seen[None]).transpose(2, 0, 1))
    assert away.min(axis=1).max() < 0.15  # two pixels
    with pytest.raises(JobError, match="too large"):
        heights.heights_of(shop, plate.id, 2880)


@pytest.mark.parametrize("behind", [False, True])
def test_a_proof_shows_the_dots_as_they_are_read(shop: Shop, sign: int, behind: bool) -> None:
    """At their size, so that a reader of braille can say yes to them; on clear stock as it is seen from the front."""
    made = put(shop, sign, x_mm=30.0, y_mm=12.0)
    if behind:
        number = shop.database.within(lambda session: edits.locked(session, "design", sign).revision)
        taking_in.arrange_art(shop, sign, number, ArrangeStep(do="second surface"))
    do(shop, line_finding.find_lines, design_id=sign)
    job = shop.database.within(lambda session: session.get_one(Design, sign).job_id)
    do(shop, proofs.make, job_id=job)
    sha = shop.database.within(lambda session: proofs.proof_there(session, job, 1).pdf_sha)
    document = pdfium.PdfDocument(shop.blobs.read(sha))
    page = np.asarray(document[0].render(scale=400 / 72).to_pil().convert("RGB")).astype(int)
    seen = np.abs(page - (71, 85, 105)).max(axis=2) < 12
    labels, count = ndimage.label(seen)
    sizes = np.bincount(labels.ravel())
    dots = [label for label in range(1, count + 1) if sizes[label] > 60]
    places = np.array(ndimage.center_of_mass(seen, labels, dots))
    places = np.column_stack([places[:, 1], -places[:, 0]]) * 25.4 / 400
    red = np.argwhere((page[..., 0] - page[..., 2] > 80) & (page[..., 1] < 90))
    # the lower left corner of the sign: of its bar, whose rim is covered by half the white that the line lies on
    corner = np.array([red[:, 1].min(), -red[:, 0].max() - 1]) * 25.4 / 400 - 0.45
    asked = np.array(made.dots) + [30.0, 12.0]
    found = places - corner
    order = np.lexsort(found.round(1).T), np.lexsort(asked.round(1).T)
    assert len(found) == len(asked) and np.abs(found[order[0]] - asked[order[1]]).max() < 0.15
    words = " ".join(document[0].get_textpage().get_text_range().split())
    assert "braille: CABIN 12 ⠉⠁⠃⠔⠀⠼⠁⠃" in words.replace(" ⠀", "⠀")
