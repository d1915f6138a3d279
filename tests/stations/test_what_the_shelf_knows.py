"""What the Shelf knows of stocks and machines is minded: plates, marks, names, ledgers, two times of drying."""

from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import func, select

from etiquette.core.errors import JobError
from etiquette.demo import hands
from etiquette.demo.art import art_file
from etiquette.devices.drivers import printer_at
from etiquette.stations import line_finding, run_edits, runs, sheet_log
from etiquette.stations.ledger import book, correct, opened
from etiquette.stations.lines import taking_in
from etiquette.stations.print import film, following, plating, sending
from etiquette.stations.print.preflight import preflight
from etiquette.stations.run import nesting
from etiquette.stations.run_needs import beyond_the_machines, needed_plates
from etiquette.stations.shop import Shop
from etiquette.stations.what_lies import ask_printer
from etiquette.store.models import Cutter, MarkSet, Printer, PrintMode, Roll, RollEntry, Sheet, Stock, now
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, emptied, fill_shelf, sheet_of, tell
from tests.strangers import eve_printer


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    with signed_in(shop) as made:
        yield made


def set_on(shop: Shop, model: type[Any], **values: Any) -> None:
    """Set values of the first thing of a kind."""

    def put(session: Any) -> None:
        row = session.scalars(select(model).order_by(model.id)).first()
        for key, value in values.items():
            setattr(row, key, value)

    shop.database.within(put)


def run_of(shop: Shop, **design: Any) -> int:
    name, content = art_file("trueing-disc")
    (made,) = taking_in.take_in(shop, content, name, None, {"offset_mm": -3.0, **design})
    do(shop, line_finding.find_lines, design_id=made)
    return shop.database.within(lambda session: run_edits.create(session, "R", [{"design_id": made, "count": 4}]))


def state(shop: Shop, run: int) -> runs.RunState:
    return shop.database.within(lambda session: runs.state_of(shop, session, run))


def test_a_run_that_needs_white_is_told_while_it_is_planned(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    run = run_of(shop, white="art")
    assert needed_plates(state(shop, run)) == ("white", "colour") and beyond_the_machines(state(shop, run)) == []
    set_on(shop, Printer, plates=["colour"])
    assert beyond_the_machines(state(shop, run)) == [
        "Printer east lays down no white, which this run needs: choose another printer, or leave it out."
    ]
    set_on(shop, Printer, plates=["colour", "white"], white_goes="over")
    assert beyond_the_machines(state(shop, run)) == [
        "Printer east lays white only over the colour; this run needs it under it."
    ]
    set_on(shop, Printer, white_goes="under")
    assert beyond_the_machines(state(shop, run)) == []


def test_art_that_is_seen_through_the_stock_needs_white_over_it(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    set_on(shop, Printer, white_goes="under")
    run = run_of(shop, white="art", second_surface=True)
    assert needed_plates(state(shop, run)) == ("colour", "white")
    assert beyond_the_machines(state(shop, run)) == [
        "Printer east lays white only under the colour; this run needs it over it."
    ]


def test_clear_stock_needs_white_for_its_marks(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    set_on(shop, Stock, ground="clear")
    set_on(shop, Printer, plates=["colour"])
    assert "lays down no white" in beyond_the_machines(state(shop, run_of(shop)))[0]


def test_primer_lies_on_the_bare_stock_and_raised_clear_is_a_plate_of_its_own(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    set_on(shop, Stock, primer=True)
    flat, raised = run_of(shop, clear="line"), run_of(shop, clear="line", clear_raised=True)
    through = run_of(shop, white="art", second_surface=True)
    assert needed_plates(state(shop, flat)) == ("primer", "colour", "clear")
    assert needed_plates(state(shop, raised)) == ("primer", "colour", "height")
    assert needed_plates(state(shop, through)) == ("primer", "colour", "white")
    assert beyond_the_machines(state(shop, raised)) == [
        "Printer east lays down no primer and no height, which this run needs: choose another printer, or leave it out."
    ]
    set_on(shop, Printer, plates=["primer", "colour", "height"])
    assert beyond_the_machines(state(shop, raised)) == []
    assert "lays down no clear," in beyond_the_machines(state(shop, flat))[0]


def test_a_cutter_takes_marks_that_it_reads(shop: Shop) -> None:
    shop.database.within(fill_shelf)

    def another(session: Any) -> None:
        values = {"size_mm": 9, "clear_mm": 3, "spacing_mm": 300, "head_margin_mm": 10, "tail_margin_mm": 30}
        session.add(MarkSet(name="Crosses", shape="cross", **values))
        session.add(
            Cutter(name="Old", reach_across_mm=900, reach_along_mm=900, speed_mm_s=100, mark_shapes=["cross", "corner"])
        )

    shop.database.within(another)
    run = run_of(shop)
    shop.database.within(lambda session: run_edits.change(session, run, None, "cutter", {"cutter_id": 2}))
    assert state(shop, run).document.mark_set_id == 2  # with it came marks that it reads
    with pytest.raises(JobError, match="Old does not read Discs: it reads cross, corner"):
        shop.database.within(lambda session: run_edits.change(session, run, None, "marks", {"mark_set_id": 1}))
    set_on(shop, MarkSet, shape="disc")
    shop.database.within(lambda session: run_edits.change(session, run, None, "cutter", {"cutter_id": 1}))
    assert state(shop, run).document.mark_set_id == 2  # a cutter that names none reads any
    set_on(shop, Cutter, mark_shapes=["ring"])  # and is set otherwise afterwards
    assert beyond_the_machines(state(shop, run)) == [
        "Knife reads no marks like Crosses: it reads ring. Choose other marks, or another cutter."
    ]


def test_a_printer_may_call_a_stock_by_a_name_of_its_own(room: Shop) -> None:
    run = run_of(room)
    do(room, nesting.nest_run, run_id=run, steps=1)
    (plate,) = do(room, plating.make_plates, run_id=run)["plate_ids"]
    hands.put_roll_on(room, run)
    tell(room, "printer", "load roll", name="media-7 gloss", width_mm=600.0, left_mm=5000.0)

    def words() -> list[str]:
        told = ask_printer(room, run)
        checks = room.database.within(lambda session: preflight(room, session, runs.state_of(room, session, run), told))
        return [f"{one.state}: {one.words}" for one in checks]

    assert any(one.startswith("stop: Printer east holds media-7 gloss") for one in words())
    printer = room.database.within(lambda session: session.scalars(select(Printer.id)).one())
    set_on(room, Stock, names={str(printer): "media-7 gloss"})
    assert any(one.startswith("good: Printer east holds media-7 gloss") for one in words())
    sheet = room.database.within(lambda session: sending.new_sheet(session, plate))
    do(room, following.print_plate, sheet_id=sheet)
    assert sheet_of(room, sheet).state == "printed"


def test_what_a_strangers_printer_holds_is_said_to_be_the_stock_in_one_press(
    shop: Shop, client: httpx.Client, tmp_path: Path
) -> None:
    """`ippeveprinter` holds what it calls by names of its own: the stranger's first print stops there, and goes on when
    they say that this is the stock."""
    shop.database.within(fill_shelf)
    run = run_of(shop)
    do(shop, nesting.nest_run, run_id=run, steps=1)
    with eve_printer(tmp_path) as stranger:
        set_on(shop, Printer, address=stranger.uri)

        def checks() -> list[dict[str, str]]:
            return list(client.get(f"/api/print/{run}/checks").json())

        (stopped,) = [one for one in checks() if one["state"] == "stop" and "holds" in one["words"]]
        assert stopped["called"] and not stopped["can_load"]
        told = client.put(f"/api/print/{run}/called", json={"name": stopped["called"]})
        assert told.status_code == 200, told.json()
        assert not [one for one in checks() if "this run is on" in one["words"]]
        assert all(not one["called"] for one in checks())


def test_film_that_comes_too_early_is_noted(room: Shop) -> None:
    def mode(session: Any) -> int:
        row = PrintMode(
            name="slow", stock_id=1, printer_id=1, dpi=600, passes=8, two_way=True, m2_per_hour=10, ink_ml_m2=10,
            drying_minutes=600, touch_dry_minutes=30, rest="hung",
        )  # fmt: skip
        session.add(row)
        session.flush()
        return int(row.id)

    chosen = room.database.within(mode)
    run = run_of(room)
    room.database.within(lambda session: run_edits.change(session, run, None, "m", {"print_mode_id": chosen}))
    do(room, nesting.nest_run, run_id=run, steps=1)
    (plate,) = do(room, plating.make_plates, run_id=run)["plate_ids"]
    key = "key-of-this-one"
    sheet = room.database.within(lambda session: sending.printed_elsewhere(room, session, plate, None, key))
    with signed_in(room) as client:
        (shown,) = client.get("/api/sheets").json()
    assert shown["rest"] == "hung" and shown["touch_dry_at"] < shown["dry_at"]
    with pytest.raises(JobError, match="dries for 600 more minutes"):
        room.database.within(lambda session: film.film_is_on(session, sheet, anyway=False))
    room.database.within(lambda session: film.film_is_on(session, sheet, anyway=True))
    assert "got its film 600 min before it was ready" in room.database.within(sheet_log.latest)[0].words
    # one that had its time is not noted
    other = room.database.within(lambda session: sending.printed_elsewhere(room, session, plate, None, key + "2"))
    set_on_sheet = {"printed_at": now() - timedelta(minutes=601)}
    room.database.within(lambda session: [setattr(session.get_one(Sheet, other), *one) for one in set_on_sheet.items()])
    room.database.within(lambda session: film.film_is_on(session, other, anyway=False))
    assert len(room.database.within(sheet_log.latest)) == 1


@pytest.fixture
def roll(shop: Shop) -> Shop:
    shop.database.within(fill_shelf)
    shop.database.within(lambda session: opened(session, session.get_one(Roll, 1)))
    return shop


STEPS = st.lists(
    st.tuples(
        st.sampled_from(["print", "measure"]), st.floats(0, 9000, allow_nan=False).map(lambda one: round(one, 1))
    ),
    max_size=8,
)


@given(STEPS)
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_ledger_always_adds_up(roll: Shop, steps: list[tuple[str, float]]) -> None:
    """Whatever is printed and measured, in any order, more than there is included: the entries sum to what is left, and
    that is never less than nothing."""
    roll.database.within(lambda session: emptied(session, "roll_entry"))
    roll.database.within(lambda session: setattr(session.get_one(Roll, 1), "remaining_mm", 5000.0))
    roll.database.within(lambda session: opened(session, session.get_one(Roll, 1)))
    for number, (what, length) in enumerate(steps):
        if what == "print":
            for _ in range(2):  # a report that comes twice books once
                roll.database.within(lambda session, n=number, by=length: book(session, 1, by, "printed", f"sheet {n}"))
        else:
            roll.database.within(lambda session, to=length: correct(session, session.get_one(Roll, 1), to, "measured"))

    def sums(session: Any) -> tuple[float, float]:
        return session.scalar(select(func.sum(RollEntry.length_mm))), session.get_one(Roll, 1).remaining_mm

    total, left = roll.database.within(sums)
    assert total == pytest.approx(left, abs=1e-3) and left >= 0


def test_a_roll_that_held_more_than_was_thought_says_so(roll: Shop) -> None:
    roll.database.within(lambda session: book(session, 1, 6200.0, "printed Jars", "sheet 1"))
    entries = roll.database.within(
        lambda session: [
            (one.length_mm, one.reason) for one in session.scalars(select(RollEntry).order_by(RollEntry.id))
        ]
    )
    assert entries == [
        (5000.0, "put on the shelf"), (-6200.0, "printed Jars"), (1200.0, "it held more than was thought"),
    ]  # fmt: skip


def test_another_length_wants_a_reason_and_the_ledger_shows_it(client: httpx.Client, shop: Shop) -> None:
    client.post("/api/shelf/stock", json={"name": "Gloss"}).raise_for_status()
    made = client.post("/api/shelf/roll", json={}).json()
    row = made["shelf"]["roll"][0]
    body = {"version": row["version"], "changes": {"remaining_mm": 20_000, "lot": "L-88", "place": "rack 2"}}
    refused = client.post(f"/api/shelf/roll/{row['id']}", json=body)
    assert refused.status_code == 422 and "Say why" in refused.json()["title"]
    kept = client.post(f"/api/shelf/roll/{row['id']}", json={**body, "reason": "measured"}).json()["roll"][0]
    assert (kept["remaining_mm"], kept["lot"], kept["place"]) == (20_000, "L-88", "rack 2")
    ledger = client.get(f"/api/shelf/roll/{row['id']}/ledger").json()
    assert [(one["length_mm"], one["reason"]) for one in ledger] == [(-5000, "measured"), (25_000, "put on the shelf")]
    # a roll of which only hands have noted something can be deleted, with its ledger
    assert client.delete(f"/api/shelf/roll/{row['id']}").status_code == 200


def test_what_a_shop_lacks_is_told_until_it_is_there(client: httpx.Client, shop: Shop) -> None:
    def still() -> list[str]:
        return [one["what"] for one in client.get("/api/shelf/open").json()]

    def put(kind: str, **changes: Any) -> None:
        made = client.post(f"/api/shelf/{kind}", json={}).json()
        row = next(one for one in made["shelf"][kind] if one["id"] == made["id"])
        body = {"version": row["version"], "changes": changes}
        client.post(f"/api/shelf/{kind}/{row['id']}", json=body).raise_for_status()

    floor = client.get("/api/bar").json()
    assert floor["bare"] and floor["still_open"] == 4
    assert still() == ["A printer", "A stock", "Film, or none", "A cutter, or only print"]
    put("cutter")  # in any order
    assert still() == [
        "A printer",
        "A stock",
        "Film, or none",
        "How Cutter is reached",
        "The marks it reads",
        "A test sheet",
    ]
    put("stock", takes_film=False)  # with it, that there is no film
    assert still() == ["A printer", "A roll of it", "How Cutter is reached", "The marks it reads", "A test sheet"]
    put("stock")  # of another it is not said
    assert "Film, or none" in still()
    put("laminator")
    put("roll")
    put("mark_set")
    put("printer", away=True)  # what is put away counts as not there
    assert still() == ["A printer", "How Cutter is reached", "A test sheet"]
    floor = client.get("/api/bar").json()
    assert not floor["bare"] and floor["still_open"] == 2  # a test sheet can wait


def test_what_lies_on_the_printer_is_asked_while_a_run_is_planned(
    shop: Shop, client: httpx.Client, tmp_path: Path
) -> None:
    """`ippeveprinter` tells its trays by the names of PWG 5101.1; before any layout is made the run hears of it."""
    shop.database.within(fill_shelf)
    run = run_of(shop)

    def said() -> list[tuple[str, str]]:
        return [(one["state"], one["words"]) for one in client.get(f"/api/runs/{run}/printer").json()]

    set_on(shop, Printer, address="socket://127.0.0.1:1")
    ((how, words),) = said()
    assert how == "look" and "asked again when the run is sent" in words  # nobody answers there: planning goes on
    with eve_printer(tmp_path) as stranger:
        set_on(shop, Printer, address=stranger.uri)
        ((how, words),) = said()
        assert how == "stop" and "this run is on White 600 A" in words
        (there, *_) = printer_at(stranger.uri, "Printer").loaded()
        printer = shop.database.within(lambda session: session.scalars(select(Printer.id)).one())
        set_on(shop, Stock, names={str(printer): there.name})
        ((how, words),) = said()
        assert how == "stop" and words == "The roll on Printer east is 216 mm wide, the run 600 mm"
