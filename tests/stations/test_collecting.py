"""What nothing needs goes after a grace period, and nothing else ever does."""

import os
import threading
from datetime import datetime, timedelta

import pytest
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.demo.art import art_file
from etiquette.files.documents.sheets import CutDocument
from etiquette.stations import collecting, designs, edits, line_finding, run_edits
from etiquette.stations.collecting import FILES_GRACE, GRACE, TASKS_STAY, Collected, collect
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store import checking
from etiquette.store.models import Art, Blob, Edit, LineResult, Plate, Run, Sheet, Task, TaskEvent, now
from etiquette.store.states import SheetState, TaskState
from tests.stations.shop_floor import do, fill_shelf

DAY = timedelta(days=1)


def a_design(shop: Shop) -> int:
    wanted = {"due_count": 2, "ready": True, "width_mm": 40.0, "offset_mm": -3.0}
    (design,) = taking_in.take_in(shop, art_file("trueing-disc")[1], "disc.png", None, wanted)
    do(shop, line_finding.find_lines, design_id=design)
    return design


def change(shop: Shop, design: int, **changes: object) -> None:
    shop.database.within(lambda session: editing.change(session, design, None, "change", changes))


def count(shop: Shop, kind: type) -> int:
    return shop.database.within(lambda session: session.scalar(select(func.count()).select_from(kind)) or 0)


def passes(shop: Shop, *moments: datetime) -> Collected:
    """Collecting at those moments; what the last one took. A dry one before it says the same."""
    for moment in moments[:-1]:
        collect(shop, moment)
    said = collect(shop, moments[-1], dry=True)
    gone = collect(shop, moments[-1])
    assert gone == said
    return gone


def faults(shop: Shop) -> list[checking.Fault]:
    """But that the Shelf of the tests books no rolls."""
    checked = checking.Checked()
    found = shop.database.within(lambda session: list(checking.faults(session, shop.blobs, checked)))
    return [one for one in found if not one.what.startswith("The ledger")]


def a_sheet(shop: Shop, session: Session, plate: int) -> Sheet:
    """Of which a picture is kept, that nothing but its report names."""
    picture = shop.blobs.put(session, b"what the knife left", "image/png")
    report = CutDocument(strokes=1, seconds=1.0, picture=picture)
    return Sheet(plate_id=plate, name="One-1", state=SheetState.CUT, pieces=2, report=report)


@pytest.fixture
def design(shop: Shop) -> int:
    shop.database.within(fill_shelf)
    return a_design(shop)


def test_nothing_that_is_in_use_ever_goes(shop: Shop, design: int) -> None:
    run = shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 2}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    do(shop, plating.make_plates, run_id=run)
    files = count(shop, Blob)
    gone = passes(shop, now(), now() + GRACE, now() + 2 * GRACE)
    assert (gone.lines, gone.plates, gone.art, gone.files) == (0, 0, 0, 0)
    assert count(shop, Blob) == files and not faults(shop)


def test_lines_of_settings_that_nobody_has_go_with_their_files_and_are_found_again(shop: Shop, design: int) -> None:
    change(shop, design, offset_mm=-2.0)
    do(shop, line_finding.find_lines, design_id=design)
    begun = now()
    assert count(shop, LineResult) == 2
    assert passes(shop, begun, begun + GRACE - DAY).lines == 0
    assert passes(shop, begun + GRACE).lines == 1
    assert count(shop, LineResult) == 1
    assert passes(shop, begun + GRACE + FILES_GRACE).files > 0
    assert not faults(shop)
    change(shop, design, offset_mm=-3.0)
    do(shop, line_finding.find_lines, design_id=design)
    assert count(shop, LineResult) == 2 and not faults(shop)


def test_what_is_wanted_again_within_the_time_stays_for_good(shop: Shop, design: int) -> None:
    change(shop, design, offset_mm=-2.0)
    begun = now()
    assert passes(shop, begun).lines == 0  # seen unneeded
    change(shop, design, offset_mm=-3.0)
    assert passes(shop, begun + GRACE - DAY, begun + GRACE + DAY).lines == 0
    change(shop, design, offset_mm=-2.0)  # from now on the time begins anew
    assert passes(shop, begun + GRACE + 2 * DAY, begun + 2 * GRACE).lines == 0
    assert passes(shop, begun + 2 * GRACE + 2 * DAY).lines == 1


def test_plates_of_a_changed_run_go_unless_something_was_printed_of_them(shop: Shop, design: int) -> None:
    run = shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 2}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    begun = now()
    made = []
    for name in ("One", "Two", "Three"):
        rename = {"name": name}
        shop.database.within(lambda session, rename=rename: edits.apply(session, "run", run, None, "name", rename))
        made += do(shop, plating.make_plates, run_id=run)["plate_ids"]
    printed, changed, current = made
    shop.database.within(lambda session: session.add(a_sheet(shop, session, printed)))
    assert passes(shop, begun, begun + GRACE + DAY).plates == 1
    assert set(shop.database.within(lambda session: session.scalars(select(Plate.id)).all())) == {printed, current}
    assert changed and not faults(shop)
    passes(shop, begun + 2 * GRACE, begun + 3 * GRACE)
    report = shop.database.within(lambda session: session.scalars(select(Sheet)).one().report)
    assert report is not None and shop.blobs.read(report.picture or "") == b"what the knife left"


def test_a_run_that_cannot_be_read_keeps_its_plates_and_a_design_all_lines(shop: Shop, design: int) -> None:
    run = shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 2}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    do(shop, plating.make_plates, run_id=run)
    for kind, row in ((Run, run), (designs.Design, design)):
        torn = {**shop.database.within(lambda session: session.get_one(kind, row).document_json), "version": 99}  # noqa: B023
        where = update(kind).where(kind.id == row).values(document_json=torn)
        shop.database.within(lambda session, where=where: session.execute(where))
    gone = passes(shop, now(), now() + 2 * GRACE)
    assert (gone.lines, gone.plates) == (0, 0)


def test_art_that_was_replaced_goes_once_no_undo_leads_back_to_it(
    shop: Shop, design: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    name, newer = art_file("spark")
    taking_in.replace_art(shop, design, newer, name)
    begun = now()
    assert passes(shop, begun, begun + 2 * GRACE).art == 0
    row = shop.database.within(lambda session: edits.locked(session, "design", design))
    words = shop.database.within(lambda session: edits.step(session, "design", design, row.revision, "undo")[1])
    assert words is not None
    change(shop, design, offset_mm=-1.0)  # what was undone is forgotten: nothing leads to the newer art
    assert passes(shop, begun + 2 * GRACE).art == 1
    monkeypatch.setattr(edits, "MOST_EDITS", 1)
    assert passes(shop, begun + 2 * GRACE, begun + 3 * GRACE).art == 0
    assert count(shop, Art) == 1 and not faults(shop)


def test_only_the_newest_edits_stay_and_the_first_version_says_so(
    shop: Shop, design: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(edits, "MOST_EDITS", 3)
    for offset in range(5):
        change(shop, design, offset_mm=float(offset))
    assert passes(shop, now()).edits == 2
    versions = shop.database.within(lambda session: editing.versions_of(session, design))
    assert [one.words for one in versions] == ["change"] * 3 + ["before all that is kept"]
    shop.database.within(lambda session: editing.return_to(session, design, 6, 0))
    assert shop.database.within(lambda session: designs.state_of(session, design).document.offset_mm) == 1.0
    assert count(shop, Edit) == 4


def test_events_go_but_the_last_and_work_goes_later(shop: Shop, design: int) -> None:
    begun = now()

    def worked(session: object) -> None:
        for key, state in (("ended", TaskState.DONE), ("goes on", TaskState.RUNNING)):
            task = Task(name="nest_run", arguments={}, key=key, state=state)
            session.add(task)  # type: ignore[attr-defined]
            session.flush()  # type: ignore[attr-defined]
            said = [TaskEvent(task_id=task.id, share=share, words=key, data=None) for share in (0.1, 0.5, 1.0)]
            session.add_all(said)  # type: ignore[attr-defined]

    shop.database.within(worked)
    others = count(shop, Task) - 2
    assert passes(shop, begun + FILES_GRACE - DAY).events == 0
    assert passes(shop, begun + FILES_GRACE + DAY).events >= 2
    asked = (
        select(Task.key, TaskEvent.share).join(Task, Task.id == TaskEvent.task_id).where(TaskEvent.words == Task.key)
    )
    left = shop.database.within(lambda session: session.execute(asked.order_by(TaskEvent.id)).tuples().all())
    assert left == [("ended", 1.0), ("goes on", 0.1), ("goes on", 0.5), ("goes on", 1.0)]
    assert passes(shop, begun + TASKS_STAY + DAY).tasks == others + 1
    assert shop.database.within(lambda session: session.scalars(select(Task.key)).all()) == ["goes on"]


def test_a_file_whose_row_was_never_written_goes_too(shop: Shop) -> None:
    """A kill between the two leaves it; an hour later it is noted, and a week after that it goes."""
    lost = "ab" * 32
    place = shop.blobs.place(lost)
    place.parent.mkdir(parents=True)
    place.write_bytes(b"half of something")
    begun = now()
    assert passes(shop, begun, begun + 2 * FILES_GRACE).files == 0  # too young: its row may be on the way
    os.utime(place, (1e9, 1e9))
    assert passes(shop, begun, begun + FILES_GRACE - DAY).files == 0
    gone = passes(shop, begun + FILES_GRACE)
    assert (gone.files, gone.bytes) == (1, 17)
    assert not place.exists() and count(shop, Blob) == 0


def test_a_file_that_is_put_again_while_it_is_collected_is_there(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever puts it waits for the row, finds it gone, and writes the file anew; after that it is not taken."""
    sha = shop.database.within(lambda session: shop.blobs.put(session, b"the same", "text/plain"))
    begun = now()
    collect(shop, begun)
    putting = threading.Thread(
        target=lambda: shop.database.within(lambda session: shop.blobs.put(session, b"the same", "text/plain"))
    )
    named = collecting.is_named

    def meanwhile(*asked: object, **more: object) -> bool:
        if not putting.ident:
            putting.start()
        return named(*asked, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(collecting, "is_named", meanwhile)
    assert collect(shop, begun + FILES_GRACE).files == 1
    putting.join()
    assert shop.blobs.read(sha) == b"the same" and count(shop, Blob) == 1
    assert collect(shop, begun + FILES_GRACE).files == 0
    assert shop.blobs.read(sha) == b"the same"


def test_a_file_that_is_put_again_before_it_is_collected_stays(shop: Shop) -> None:
    sha = shop.database.within(lambda session: shop.blobs.put(session, b"the same", "text/plain"))
    begun = now()
    collect(shop, begun)
    shop.database.within(lambda session: shop.blobs.put(session, b"the same", "text/plain"))
    assert collect(shop, begun + FILES_GRACE).files == 0
    assert collect(shop, begun + 2 * FILES_GRACE).files == 1  # nothing named it after all
    with pytest.raises(NotThere):
        shop.blobs.read(sha)


def test_what_went_last_is_told(shop: Shop) -> None:
    assert shop.database.within(collecting.last_of) is None
    gone = Collected(files=3, bytes=4096)
    shop.database.within(lambda session: collecting.note(session, gone))
    told = shop.database.within(collecting.last_of)
    assert told is not None and (told.files, told.bytes) == (3, 4096)
