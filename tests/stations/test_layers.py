"""Decals that are seen from both sides, special inks: plates in register, read by PDFium, pikepdf and Ghostscript."""

import subprocess
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pypdfium2 as pdfium
import pytest
import shapely
from PIL import Image, ImageDraw
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.core.printing.plates import patches
from etiquette.intake import job_saving
from etiquette.stations import designs, edits, line_finding, run_edits, runs, whole
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.plate_sets import plate_files
from etiquette.stations.print import plating
from etiquette.stations.print.beds import Printed
from etiquette.stations.print.following import documents_for
from etiquette.stations.print.layer_checks import layer_checks
from etiquette.stations.run import nesting
from etiquette.stations.run_needs import beyond_the_machines
from etiquette.stations.shelf import exchange, filling, keeping
from etiquette.stations.shelf.schemas import AddAsked
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Plate, Printer, Run, SpecialInk, Stock
from tests.stations.shop_floor import do, fill_shelf, take_in_job
from tests.stations.test_finished import choose, close
from tests.stations.test_plates import layers_pdf
from tests.stations.test_vector_designs import found, state, taken
from tests.vector_art import label_pdf

DPI = 200


def art(mark: tuple[int, int, int, int], size: tuple[int, int] = (480, 240)) -> bytes:
    """A blue picture with one red rectangle that tells its left from its right."""
    picture = Image.new("RGB", size, (30, 60, 160))
    ImageDraw.Draw(picture).rectangle(mark, fill=(210, 30, 30))
    out = BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


@pytest.fixture
def floor(shop: Shop) -> Shop:
    def shelf(session: Session) -> None:
        fill_shelf(session)
        for printer in session.scalars(select(Printer)):
            printer.plates = ["white", "blocker", "colour", "clear"]
        for stock in session.scalars(select(Stock)):
            stock.ground = "clear"

    shop.database.within(shelf)
    return shop


def decal(shop: Shop, mark: tuple[int, int, int, int] = (0, 0, 60, 40), **wanted: Any) -> int:
    """120 × 60 mm, its red mark at the upper left, cut along its rim."""
    asked = {"width_mm": 120.0, "due_count": 1, "follow": "page", "offset_mm": 0.0, "ready": True, **wanted}
    (made,) = taking_in.take_in(shop, art(mark), f"decal {mark[0]}.png", None, asked)
    return made


def changed(shop: Shop, design: int, **changes: object) -> None:
    shop.database.within(lambda session: editing.change(session, design, None, "change", changes))


def plated(shop: Shop, *of: int, **settings: Any) -> Plate:
    for design in of:
        do(shop, line_finding.find_lines, design_id=design)
    items = [{"design_id": design, "count": 1} for design in of]
    run = shop.database.within(lambda session: run_edits.create(session, "Windows", items))
    if settings:
        shop.database.within(lambda session: edits.apply(session, "run", run, None, "settings", settings))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    (plate,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    return shop.database.within(lambda session: session.get_one(Plate, plate))


def seen(shop: Shop, plate: Plate, name: str) -> np.ndarray:
    """What PDFium draws of a plate: the piece alone, as RGB."""
    x0, y0, x1, y1 = plate.summary.plan.work
    whole = np.asarray(
        pdfium.PdfDocument(shop.blobs.read(plate_files(plate)[name]))[0].render(scale=DPI / 72).to_pil().convert("RGB")
    )
    px = DPI / 25.4
    low, high = whole.shape[0] - round(y1 * px), whole.shape[0] - round(y0 * px)
    return whole[low + 3 : high - 3, round(x0 * px) + 3 : round(x1 * px) - 3].astype(int)


def red(pixels: np.ndarray) -> np.ndarray:
    return (pixels[..., 0] > 150) & (pixels[..., 2] < 100)


def test_the_other_side_is_the_mirror_image_of_the_same_art(floor: Shop) -> None:
    design = decal(floor, white="line", both_sides={"blocker": True, "blocker_choke_mm": 0.5})
    plate = plated(floor, design)
    assert plate.summary.order == ("other side", "white", "blocker", "white again", "colour")
    front, back = seen(floor, plate, "colour"), seen(floor, plate, "other side")
    # which way across is across the design depends on how nesting turned it: its longer side lies along one of them
    axis = 1 if front.shape[1] > front.shape[0] else 0
    flipped = np.flip(front, axis=axis)
    assert red(front).sum() > 1000
    differ = red(flipped) ^ red(back)
    assert differ.sum() <= 2 * (red(front).shape[0] + red(front).shape[1]) * 0.05  # no more than the rim of the mark
    assert not (red(front) & red(back)).any()
    # marks and codes are printed once: beside the piece the other side is blank
    page = pdfium.PdfDocument(floor.blobs.read(plate_files(plate)["other side"]))[0]
    inked = np.asarray(page.render(scale=50 / 72).to_pil().convert("L")) < 250
    left, low, right, top = plate.summary.plan.work
    rows, columns = np.nonzero(inked)
    assert columns.min() >= left * 50 / 25.4 - 2 and columns.max() <= right * 50 / 25.4 + 2


def test_what_is_read_through_the_stock_is_laid_down_first_and_another_design_lies_on_the_other_side(
    floor: Shop,
) -> None:
    other = decal(floor, (400, 180, 479, 239))
    design = decal(floor, white="line", second_surface=True)
    job = floor.database.within(lambda session: session.get_one(Design, design).job_id)
    with pytest.raises(JobError, match="another design of the same job"):
        changed(floor, design, both_sides={"other": other})
    floor.database.within(lambda session: setattr(session.get_one(Design, other), "job_id", job))
    changed(floor, design, both_sides={"other": other})
    plate = plated(floor, design)
    assert plate.summary.order == ("colour", "white", "blocker", "white again", "other side")
    assert plate.summary.seen_through
    # the art for the back is mirrored by hands when it is flipped, here it was not: the other side lies as it came
    back = seen(floor, plate, "other side")
    plain = seen(floor, plated(floor, other), "colour")
    assert back.shape == plain.shape
    assert (red(back) ^ red(plain)).sum() <= 0.02 * red(plain).sum() + 40
    # the other side is part of what was made: another one makes other plates
    changed(floor, other, lightness=-30)
    again = plated(floor, design)
    assert (seen(floor, again, "colour") == seen(floor, plate, "colour")).all()
    assert seen(floor, again, "other side").mean() < back.mean() - 5


def test_a_page_on_the_other_side_is_printed_as_vectors_without_its_lines(floor: Shop) -> None:
    design = decal(floor, white="line")
    job = floor.database.within(lambda session: session.get_one(Design, design).job_id)
    (page,) = taking_in.take_in(floor, label_pdf(), "label.pdf", job, {"width_mm": 90.0, "due_count": 0})
    changed(floor, design, both_sides={"other": page})  # nobody has opened it: its lines are not found yet
    plate = plated(floor, design)
    with pikepdf.open(BytesIO(floor.blobs.read(plate_files(plate)["other side"]))) as pdf:
        pictures = [one for one in pdf.objects if isinstance(one, pikepdf.Stream) and one.get("/Subtype") == "/Image"]
        assert all(int(one.Width) < 50 for one in pictures)  # its own small picture, not one of the page
    lines = floor.database.within(lambda session: designs.state_of(session, page)).lines
    assert lines is not None and lines.print_sha


def test_white_goes_to_the_printer_twice_and_counts_twice(floor: Shop) -> None:
    design = decal(floor, white="line", white_choke_mm=0.0, both_sides={"blocker": True, "blocker_choke_mm": 1.0})
    plate = plated(floor, design)

    def sent(session: Session) -> list[tuple[str, bytes]]:
        run, printed = session.get_one(Run, plate.run_id), [Printed("here", session.get_one(Plate, plate.id))]
        return [(one.name, one.content) for one in documents_for(floor, printed, run)]

    documents = floor.database.within(sent)
    assert [name for name, _ in documents] == ["other side", "white", "blocker", "white again", "colour"]
    assert documents[1][1] == documents[3][1]
    plan = plate.summary.plan
    page = plan.width_mm * plan.length_mm
    under_marks = shapely.union_all(patches(plan.to_plan(), plate.summary.marks)).area
    assert plate.summary.inks["White"] * page == pytest.approx(2 * (120 * 60 + under_marks), rel=0.02)
    assert plate.summary.inks["Blocker"] * page == pytest.approx(118 * 58, rel=0.02)


def test_a_printer_that_lays_white_on_one_side_of_colours_cannot_make_it(floor: Shop) -> None:
    design = decal(floor, white="line", both_sides={"blocker": True})
    plate = plated(floor, design)

    def told(session: Session, **values: Any) -> list[str]:
        for printer in session.scalars(select(Printer)):
            for name, value in values.items():
                setattr(printer, name, value)
        session.flush()
        return beyond_the_machines(runs.state_of(floor, session, plate.run_id))

    assert floor.database.within(told) == []
    (words,) = floor.database.within(lambda session: told(session, white_goes="under"))
    assert "on both sides of it" in words
    (words,) = floor.database.within(lambda session: told(session, white_goes="either", plates=["white", "colour"]))
    assert "lays down no blocker" in words


def test_in_one_file_there_is_no_room_for_two_layers_of_colours(floor: Shop) -> None:
    design = decal(floor, white="line", both_sides={})
    with pytest.raises(JobError, match="second layer of colours"):
        plated(floor, design, files="one")
    plain = decal(floor, (300, 0, 400, 100), white="line")
    with pytest.raises(JobError, match="seen from both sides share this run"):
        plated(floor, design, plain)


def silver(shop: Shop, **changes: Any) -> int:
    def put(session: Session) -> int:
        row = filling.add(session, "special_ink", AddAsked(name="Tinsel"))
        keeping.change(session, "special_ink", row, 1, {"black": 30, **changes})
        return row

    return shop.database.within(put)


def test_a_special_ink_has_a_plate_by_its_name_where_it_is_asked_for(floor: Shop, tmp_path: Path) -> None:
    ink = silver(floor)
    place = {"ink": ink, "extent": "area", "choke_mm": 1.0, "area": [10.0, 20.0, 40.0, 30.0]}
    design = decal(floor, specials=[place])
    plate = plated(floor, design)
    assert plate.summary.order == ("white", "Tinsel", "colour")  # patches of white: the stock is clear
    (more,) = plate.more
    assert more.name == "Tinsel"
    content = floor.blobs.read(more.sha)
    # Ghostscript's separations say what of the page is inked, and by which ink
    (tmp_path / "plate.pdf").write_bytes(content)
    command = ["gs", "-q", "-dNOPAUSE", "-dBATCH", "-dSAFER", "-sDEVICE=tiffsep", f"-r{DPI}", "-o", "out.tif"]
    subprocess.run([*command, "plate.pdf"], cwd=tmp_path, check=True, capture_output=True)
    (separation,) = tmp_path.glob("out*Tinsel*.tif")
    inked = np.asarray(Image.open(separation)) < 128
    assert inked.sum() * (25.4 / DPI) ** 2 == pytest.approx(38 * 28, rel=0.01)
    plan = plate.summary.plan
    assert plate.summary.inks["Tinsel"] * plan.width_mm * plan.length_mm == pytest.approx(38 * 28, rel=0.02)
    # 10 mm from the left and 20 mm from the top of art of 120 × 60 mm, drawn in by 1 mm on every side
    now = floor.database.within(lambda session: designs.state_of(session, design))
    (there,) = designs.plate_areas_of(floor, now, f"special {ink}")
    assert there.bounds == pytest.approx((11, 11, 49, 39))
    with pytest.raises(JobError, match="Tinsel is still used: the design"):
        floor.database.within(lambda session: filling.remove(session, "special_ink", ink))


def test_a_layer_of_the_art_means_a_special_ink_and_leaves_the_colours(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    ink = silver(shop)
    design = taken(shop, layers_pdf(), "a.pdf", marked={"layer Weiss": f"special {ink}"})
    found(shop, design)
    now = state(shop, design)
    areas = designs.areas_of(shop, now)
    assert sum(one.area for one in areas[f"special {ink}"]) == pytest.approx(np.pi * 11**2, rel=1e-3)
    assert areas["white"] == [] and now.lines is not None and now.lines.white_sha is None
    with pikepdf.open(BytesIO(shop.blobs.read(now.lines.print_sha or ""))) as pdf:
        drawn = [str(one.operator) for one in pikepdf.parse_content_stream(pdf.pages[0])]
    assert drawn.count("f") == 1  # the red disc; the grey one went


def test_hands_change_the_stack_and_are_told_what_is_hidden(floor: Shop) -> None:
    design = decal(floor, white="art")
    plate = plated(floor, design)

    def told(session: Session, number: int) -> list[tuple[str, str]]:
        state = runs.state_of(floor, session, number)
        found = plating.plates_of(session, state)
        return [(one.state, one.words) for one in layer_checks(state, [one.summary for one in found])]

    assert floor.database.within(lambda session: told(session, plate.run_id)) == [
        ("good", "Laid down in this order: white, colour")
    ]
    wrong = plated(floor, design, stack=["colour", "white"])
    assert wrong.summary.order == ("colour", "white")
    ((state, words),) = floor.database.within(lambda session: told(session, wrong.run_id))
    assert state == "look" and "The colour cannot be seen: white lies before it" in words


def test_special_inks_go_along_with_shelf_and_job(floor: Shop) -> None:
    ink = silver(floor, goes="before", printer_id=1)
    design = decal(floor, specials=[{"ink": ink, "extent": "line", "choke_mm": 0.0}])
    do(floor, line_finding.find_lines, design_id=design)
    text = floor.database.within(lambda session: exchange.written(floor, session, ["special_ink", "printer"]))
    held = floor.database.within(lambda session: exchange.compared(floor, session, text, "SHELF.json"))
    assert [one.state for one in held if one.kind == "special_ink"] == ["same"]
    job = floor.database.within(lambda session: session.get_one(Design, design).job_id)
    out = BytesIO()
    job_saving.save(floor, job, out)
    # in a shop that has it under another number, and then in one that has it not
    floor.database.within(lambda session: setattr(session.get_one(SpecialInk, ink), "name", "Elsewhere"))
    taken_in = take_in_job(floor, out.getvalue())
    (made,) = taken_in.designs
    numbers = floor.database.within(lambda session: {one.name: one.id for one in session.scalars(select(SpecialInk))})
    document = floor.database.within(lambda session: session.get_one(Design, made).document)
    assert [one.ink for one in document.specials] == [numbers["Tinsel"]] and numbers["Tinsel"] != ink


def test_further_plates_go_with_finished_work_and_come_back(floor: Shop) -> None:
    design = decal(floor, white="line", both_sides={"blocker": True})
    plate = plated(floor, design)
    job = floor.database.within(lambda session: session.get_one(Design, design).job_id)
    shas = [one.sha for one in plate.more]
    assert len(shas) == 2 and all(floor.blobs.path(sha) for sha in shas)
    close(floor, job)
    assert choose(floor, "without print files").print_files == 1
    for sha in shas:
        with pytest.raises(NotThere):
            floor.blobs.path(sha)
    do(floor, plating.make_plates, run_id=plate.run_id)
    again = floor.database.within(lambda session: session.get_one(Plate, plate.id).more)
    assert [one.sha for one in again] == shas and all(floor.blobs.path(sha) for sha in shas)


def test_a_run_goes_with_its_further_plates_and_a_side_that_is_gone_is_told(floor: Shop) -> None:
    other = decal(floor, (400, 180, 479, 239))
    design = decal(floor, white="line")
    job = floor.database.within(lambda session: session.get_one(Design, design).job_id)
    floor.database.within(lambda session: setattr(session.get_one(Design, other), "job_id", job))
    changed(floor, design, both_sides={"other": other})
    plate = plated(floor, design)
    floor.database.within(lambda session: whole.take_away(session, "run", plate.run_id))
    floor.database.within(lambda session: whole.take_away(session, "design", other))
    with pytest.raises(JobError, match="from the other side of Decal 0 is gone"):
        plated(floor, design)
    changed(floor, design, bleed_mm=1.0)  # and stands in the way of no other change
    changed(floor, design, both_sides={"other": None})
    assert plated(floor, design).summary.order[0] == "other side"


def test_names_of_plates_are_no_names_of_special_inks(floor: Shop) -> None:
    for name in ("White", "other side", "magenta"):
        with pytest.raises((JobError, ValueError), match="plate that is there already"):
            silver_named(floor, name)


def silver_named(shop: Shop, name: str) -> None:
    ink = silver(shop) if not shop.database.within(lambda s: s.scalar(select(SpecialInk.id))) else 1
    version = shop.database.within(lambda session: session.get_one(SpecialInk, ink).version)
    shop.database.within(lambda session: keeping.change(session, "special_ink", ink, version, {"name": name}))
