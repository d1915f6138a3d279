"""A run that is only printed: no cutter, no marks, no lines; from the printer, or from its film, it is finished."""

from datetime import timedelta

import pikepdf
import pytest
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.demo import hands
from etiquette.demo.art import art_file
from etiquette.stations import designs, plate_sets, run_edits, runs
from etiquette.stations.bench.mark_reading import refuse_unloadable
from etiquette.stations.floor.figures import good_since
from etiquette.stations.lines import taking_in
from etiquette.stations.machines import cutter_of_sheet
from etiquette.stations.print import film, following, plating, sending
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import MarkSet, Printer, Run, now
from tests.stations.shop_floor import do, emptied, sheet_of


@pytest.fixture
def bare(room: Shop) -> Shop:
    """A shop with a printer and its roll, and nothing that cuts."""
    room.database.within(lambda session: emptied(session, "cutter", "mark_set"))
    room.database.within(lambda session: setattr(session.query(Printer).one(), "has_knife", False))
    return room


def run_of(shop: Shop, art: str, count: int = 4, **settings: object) -> int:
    """A run of art that nobody has looked at in Lines."""
    name, content = art_file(art)
    (design,) = taking_in.take_in(shop, content, name, None, {"width_mm": 80.0})
    made = shop.database.within(lambda session: run_edits.create(session, art, [{"design_id": design, "count": count}]))
    if settings:
        shop.database.within(lambda session: run_edits.change(session, made, None, "settings", settings))
    do(shop, nesting.nest_run, run_id=made, steps=1)
    return made


def printed(shop: Shop, run: int) -> int:
    (plate,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    hands.put_roll_on(shop, run)
    sheet = shop.database.within(lambda session: sending.new_sheet(session, plate))
    do(shop, following.print_plate, sheet_id=sheet)
    return sheet


def test_without_a_cutter_a_run_is_printed_and_finished(bare: Shop) -> None:
    run = run_of(bare, "trueing-disc", laminator_id=None)
    state = bare.database.within(lambda session: runs.state_of(bare, session, run))
    (design,) = state.designs.values()
    # no line was looked for: every piece takes the rectangle of its art
    assert design.lines is None
    width, height = design.document.width_mm, design.height_mm
    assert runs.pieces_of(bare, state.document, state.designs)[str(design.design.id)].outline.bounds == (
        0, 0, width, height,
    )  # fmt: skip
    assert state.plans[0].marks == () and state.figures is not None and state.figures.pieces == 4
    sheet = printed(bare, run)
    assert sheet_of(bare, sheet).state == "done" and sheet_of(bare, sheet).good == 4
    assert bare.database.within(lambda session: session.get_one(Run, run).state) == "done"
    assert bare.database.within(lambda session: good_since(session, now() - timedelta(hours=1))) == 4


def test_its_film_is_its_last_step(bare: Shop) -> None:
    sheet = printed(bare, run_of(bare, "trueing-disc"))
    assert sheet_of(bare, sheet).state == "printed"
    bare.database.within(lambda session: film.film_is_on(session, sheet, anyway=True))
    assert sheet_of(bare, sheet).state == "done" and sheet_of(bare, sheet).film


def test_no_line_of_it_reaches_a_file_and_vector_art_stays_vector(bare: Shop) -> None:
    """The page of the cabin sign is drawn by paths: with no line asked for, its print file still holds no picture."""
    run = run_of(bare, "cabin-sign", laminator_id=None)
    (plate_id,) = do(bare, plating.make_plates, run_id=run)["plate_ids"]
    plate = bare.database.within(lambda session: plate_sets.plate_there(session, plate_id))
    assert plate_sets.lines_of_plate(bare, plate).lines == []
    with pikepdf.open(bare.blobs.path(plate.pdf_sha)) as pdf:
        kinds = [str(one.get("/Subtype")) for one in pdf.objects if isinstance(one, pikepdf.Stream)]
    assert "/Form" in kinds and "/Image" not in kinds


def test_it_cannot_be_laid_on_a_cutter(room: Shop) -> None:
    run = run_of(room, "trueing-disc", way="only")
    sheet = printed(room, run)
    with pytest.raises(JobError, match="only printed"):
        room.database.within(lambda session: cutter_of_sheet(session, sheet))
    with pytest.raises(JobError):
        room.database.within(lambda session: refuse_unloadable(session, sheet))


def test_a_run_that_is_to_be_cut_after_all_gets_marks_and_asks_for_lines(room: Shop) -> None:
    run = run_of(room, "trueing-disc", way="only")
    room.database.within(lambda session: run_edits.change(session, run, None, "cutter", {"way": "print"}))
    state = room.database.within(lambda session: runs.state_of(room, session, run))
    assert state.kit.cutter is not None and not state.fresh
    with pytest.raises(JobError, match="has no line yet"):
        runs.pieces_of(room, state.document, state.designs)
    do(room, nesting.nest_run, run_id=run, steps=1)
    state = room.database.within(lambda session: runs.state_of(room, session, run))
    assert len(state.plans[0].marks) >= 6 and designs.outline_of_design(room, next(iter(state.designs.values())))


def test_a_plate_without_lines_is_none_for_the_printers_own_knife(room: Shop) -> None:
    """Neither way prints marks: with the same margins the two plates differ in nothing else than their lines."""

    def margins(session: Session) -> None:
        marks = session.query(MarkSet).one()
        marks.size_mm, marks.clear_mm, marks.spacing_mm = 6.0, 3.0, 400.0
        marks.head_margin_mm = marks.tail_margin_mm = 5.0
        marks.stroke_mm, marks.inset_mm = 1.0, 15.0

    room.database.within(margins)
    run = run_of(room, "trueing-disc", way="both")
    keys = set()
    for way in ("both", "only"):
        room.database.within(lambda session, way=way: run_edits.change(session, run, None, "way", {"way": way}))
        do(room, nesting.nest_run, run_id=run, steps=1)
        state = room.database.within(lambda session: runs.state_of(room, session, run))
        keys.add(plate_sets.plate_key(state, 0))
        (plate,) = do(room, plating.make_plates, run_id=run)["plate_ids"]
        held = room.database.within(lambda session, plate=plate: plate_sets.plate_there(session, plate))
        assert bool(plate_sets.lines_of_plate(room, held).lines) == (way == "both")
    assert len(keys) == 2


def test_without_a_cutter_on_the_shelf_nothing_can_be_cut(bare: Shop) -> None:
    run = run_of(bare, "trueing-disc")
    with pytest.raises(JobError, match="no cutter yet"):
        bare.database.within(lambda session: run_edits.change(session, run, None, "cutter", {"way": "print"}))
