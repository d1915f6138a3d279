"""Settings of a tool for one run alone: the Shelf's card stays, and what the machine is told is what was set."""

import re

import pytest

from etiquette.core.errors import JobError
from etiquette.devices import holds
from etiquette.files.documents.runs import ToolForJob
from etiquette.stations import cut_files, edits
from etiquette.stations.bench import tool_settings, views
from etiquette.stations.bench.schemas import ToolStep
from etiquette.stations.shop import Shop
from etiquette.stations.tools import card_row, cards_of
from etiquette.store.models import Run, Stock
from tests.stations.shop_floor import on_shelf, sheet_of


def step_of(shop: Shop, sheet: int) -> ToolStep:
    (step,) = shop.database.within(lambda session: views.bench_shown(shop, session, sheet)).tools
    return step


def set_kiss(shop: Shop, sheet: int, told: ToolForJob | None) -> None:
    shop.database.within(lambda session: tool_settings.set_for_job(session, sheet, "kiss", told))


def told_forces(shop: Shop, sheet: int) -> set[str]:
    """The forces in the HP-GL for a machine that fetches its jobs (FS: common practice, no published source)."""
    (file, *_) = cut_files.cut_files_of(shop, sheet_of(shop, sheet).plate).values()
    return set(re.findall(r"FS(\d+)", file.decode()))


def test_what_is_set_for_a_run_is_told_to_the_machine_and_the_shelf_stays(room: Shop) -> None:
    sheet = on_shelf(room)
    card = room.database.within(lambda session: cards_of(session, 1, 1)["kiss"])
    before = step_of(room, sheet)
    assert (before.force_gf, before.for_job) == (card.force_gf, False)
    set_kiss(room, sheet, ToolForJob(force_gf=85, speed_mm_s=card.speed_mm_s, passes=2))
    after = step_of(room, sheet)
    assert (after.force_gf, after.passes, after.for_job) == (85, 2, True)
    assert after.seconds == pytest.approx(2 * before.seconds)
    assert told_forces(room, sheet) == {"85"}
    assert room.database.within(lambda session: cards_of(session, 1, 1)["kiss"]) == card
    # only what differs is kept: a card that is changed later counts for the rest
    run = room.database.within(lambda session: session.get_one(Run, sheet_of(room, sheet).plate.run_id))
    assert run.document.tools["kiss"].model_dump(exclude_none=True) == {"force_gf": 85, "passes": 2}
    room.database.within(
        lambda session: setattr(card_row(session, 1, session.get_one(Stock, 1), "kiss"), "speed_mm_s", 111.0)
    )
    assert (step_of(room, sheet).speed_mm_s, step_of(room, sheet).force_gf) == (111.0, 85)
    # back to the Shelf, and both are edits of the run that can be undone
    set_kiss(room, sheet, None)
    assert not step_of(room, sheet).for_job
    room.database.within(
        lambda session: edits.step(session, "run", run.id, session.get_one(Run, run.id).revision, "undo")
    )
    assert step_of(room, sheet).force_gf == 85


def test_what_no_card_may_say_is_refused(room: Shop) -> None:
    sheet = on_shelf(room)
    for told in (ToolForJob(force_gf=1e9), ToolForJob(speed_mm_s=0.0), ToolForJob(passes=0)):
        with pytest.raises(JobError, match="of a tool goes from"):
            set_kiss(room, sheet, told)
    assert not step_of(room, sheet).for_job


def test_nothing_is_set_while_the_cutter_is_at_work(room: Shop) -> None:
    sheet = on_shelf(room)
    key = room.database.within(lambda session: views.cutter_of_sheet(session, sheet).key)
    with holds.held_by_hands(room.database, key, "a sheet is being cut"), pytest.raises(JobError, match="being cut"):
        set_kiss(room, sheet, ToolForJob(force_gf=60))
