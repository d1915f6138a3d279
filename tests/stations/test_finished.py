"""What goes of finished work, and what never does: whatever is under way, or shared with what is."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from sqlalchemy import select, update

from etiquette.core.errors import JobError, NotThere
from etiquette.demo.art import art_file
from etiquette.stations import finished, line_finding, run_edits, whole
from etiquette.stations.finished import Choice, Gone, Way
from etiquette.stations.floor import job_files
from etiquette.stations.lines import taking_in
from etiquette.stations.plate_sets import plate_files
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Art, Design, Job, KeptFile, Plate, Run, Sheet, Task, now
from etiquette.store.states import SheetState
from tests.stations.shop_floor import do, fill_shelf

FINISHED = now() - timedelta(days=40)


def a_design(shop: Shop, job: int | None = None, art: str = "trueing-disc") -> tuple[int, int]:
    wanted = {"due_count": 2, "ready": True, "width_mm": 40.0, "offset_mm": -3.0}
    (design,) = taking_in.take_in(shop, art_file(art)[1], f"{art}.png", job, wanted)
    do(shop, line_finding.find_lines, design_id=design)
    return design, shop.database.within(lambda session: session.get_one(Design, design).job_id)


def a_run(shop: Shop, *designs: int) -> list[int]:
    items = [{"design_id": design, "count": 2} for design in designs]
    run = shop.database.within(lambda session: run_edits.create(session, "One", items))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    return list(do(shop, plating.make_plates, run_id=run)["plate_ids"])


def close(shop: Shop, *jobs: int) -> None:
    shop.database.within(
        lambda session: session.execute(update(Job).where(Job.id.in_(jobs)).values(closed_at=FINISHED))
    )


def choose(shop: Shop, way: Way, days: int = 30) -> Gone:
    """The choice made and done; what it said it would take is what it took."""
    shop.database.within(lambda session: finished.choose(session, Choice(way, days)))
    said = shop.database.within(lambda session: finished.would_go(session, Choice(way, days)))
    gone = finished.sweep(shop)
    assert (gone.jobs, gone.print_files) == (said.jobs, said.print_files)
    return gone


def files(shop: Shop, plate: int) -> list[bool]:
    """Which of the PDFs of a plate set lie on the disk."""
    held = shop.database.within(lambda session: plate_files(session.get_one(Plate, plate)))
    return [shop.blobs.place(sha).exists() for sha in held.values()]


def art_there(shop: Shop, design: int) -> bool:
    art = shop.database.within(lambda session: session.get_one(Art, session.get_one(Design, design).document.art_id))
    return shop.blobs.place(art.content_sha).exists()


@pytest.fixture
def done(shop: Shop) -> tuple[int, int, int]:
    """A design, its job, the plate of its run: finished forty days ago."""
    shop.database.within(fill_shelf)
    design, job = a_design(shop)
    (plate,) = a_run(shop, design)
    close(shop, job)
    return design, job, plate


def test_nothing_goes_unless_it_was_chosen(shop: Shop, done: tuple[int, int, int]) -> None:
    assert finished.sweep(shop) == Gone()
    assert choose(shop, "kept") == Gone()
    assert choose(shop, "cleared", days=41) == Gone()  # finished forty days ago
    assert all(files(shop, done[2])) and art_there(shop, done[0])


def test_print_files_go_and_come_back_as_they_were(shop: Shop, done: tuple[int, int, int]) -> None:
    design, _, plate = done
    before = shop.database.within(lambda session: plate_files(session.get_one(Plate, plate)))
    gone = choose(shop, "without print files")
    assert (gone.jobs, gone.print_files) == (0, 1) and gone.bytes > 0
    assert not any(files(shop, plate)) and art_there(shop, design)
    with pytest.raises(NotThere, match="it went with finished work"):
        shop.blobs.read(before["colour"])
    assert finished.sweep(shop) == Gone()  # nothing goes twice
    run = shop.database.within(lambda session: session.get_one(Plate, plate).run_id)
    assert do(shop, plating.make_plates, run_id=run)["plate_ids"] == [plate]
    assert all(files(shop, plate))
    assert shop.database.within(lambda session: plate_files(session.get_one(Plate, plate))) == before


def test_cleared_its_art_goes_and_what_it_was_stays(shop: Shop, done: tuple[int, int, int]) -> None:
    design, job, _ = done
    shop.database.within(lambda session: job_files.keep(shop, session, job, [("order.txt", b"two of them")]))
    kept = shop.database.within(lambda session: session.scalar(select(KeptFile.content_sha)))
    assert choose(shop, "cleared").jobs == 1
    assert not art_there(shop, design) and not shop.blobs.place(str(kept)).exists()
    row = shop.database.within(lambda session: session.get_one(Job, job))
    assert row.away and row.cleared_at is not None
    thumb = shop.database.within(lambda session: session.scalar(select(Art.thumb_sha)))
    assert shop.blobs.read(str(thumb))  # what it looked like
    with pytest.raises(JobError, match="Its art went on"):
        shop.database.within(lambda session: whole.again(session, "job", job))
    with pytest.raises(JobError, match="Its art went on"):
        shop.database.within(lambda session: whole.again(session, "design", design))
    # the same file comes again: it is there again
    again, _ = a_design(shop)
    assert art_there(shop, again)


def printed(shop: Shop, plate: int, state: SheetState, good: int | None = None) -> None:
    row = Sheet(plate_id=plate, name="A1", state=state, pieces=2, good=good)
    shop.database.within(lambda session: session.add(row))


def at_work(shop: Shop, design: int) -> None:
    shop.database.within(
        lambda session: session.add(Task(name="lines", arguments={"design_id": design}, key="k", machine=""))
    )


def in_an_open_run(shop: Shop, design: int) -> None:
    other, _ = a_design(shop, art="spark")
    a_run(shop, design, other)


@pytest.mark.parametrize(
    "under_way",
    [
        lambda shop, _, plate: printed(shop, plate, SheetState.HELD),
        lambda shop, _, plate: printed(shop, plate, SheetState.UNCLEAR),
        lambda shop, _, plate: printed(shop, plate, SheetState.LAMINATED),
        lambda shop, _, plate: printed(shop, plate, SheetState.CUT),  # nobody has counted yet
        lambda shop, design, _: at_work(shop, design),
        lambda shop, design, _: in_an_open_run(shop, design),
    ],
)
def test_what_is_under_way_stays(
    shop: Shop, done: tuple[int, int, int], under_way: Callable[[Shop, int, int], None]
) -> None:
    design, job, plate = done
    under_way(shop, design, plate)
    assert choose(shop, "cleared").jobs == 0
    assert (
        art_there(shop, design) and shop.database.within(lambda session: session.get_one(Job, job).cleared_at) is None
    )


def test_what_was_cut_and_counted_is_not_under_way(shop: Shop, done: tuple[int, int, int]) -> None:
    printed(shop, done[2], SheetState.CUT, good=2)
    assert choose(shop, "cleared") != Gone() and not any(files(shop, done[2]))


def test_art_that_another_job_needs_stays(shop: Shop, done: tuple[int, int, int]) -> None:
    """The repeat order has the same art; a file dropped twice is one file; white from a file of its own."""
    design, job, _ = done
    again = shop.database.within(lambda session: whole.again(session, "job", job))
    assert choose(shop, "cleared").jobs == 1 and art_there(shop, design)
    close(shop, again)
    twice, _ = a_design(shop)
    assert choose(shop, "cleared").jobs == 1 and art_there(shop, design)  # the same bytes, a row of their own
    other, its_job = a_design(shop, art="spark")
    whose = shop.database.within(lambda session: session.get_one(Design, twice).document.art_id)

    def white_is_a_file(session: Any) -> None:
        row = session.get_one(Design, other)
        row.document = row.document.with_(white_art_id=whose)

    shop.database.within(white_is_a_file)
    close(shop, shop.database.within(lambda session: session.get_one(Design, twice).job_id))
    assert choose(shop, "cleared").jobs == 1 and art_there(shop, twice)
    close(shop, its_job)
    assert choose(shop, "cleared").jobs == 1 and not art_there(shop, other)


def test_a_run_of_two_jobs_waits_for_both(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    (one, its_job), (other, open_job) = a_design(shop), a_design(shop, art="spark")
    (plate,) = a_run(shop, one, other)
    close(shop, its_job)
    assert choose(shop, "without print files") == Gone() == choose(shop, "cleared")
    close(shop, open_job)
    assert choose(shop, "without print files").print_files == 1 and not any(files(shop, plate))
    assert shop.database.within(lambda session: session.scalars(select(Run)).one().document.layout) is not None
