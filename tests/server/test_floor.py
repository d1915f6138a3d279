"""The Floor: open jobs by day, what needs hands in its order, care, what could share a run, and the pulse by which
pages know that anything has changed."""

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

import httpx
import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.demo.art import art_file
from etiquette.files.documents.sheets import ProgressDocument
from etiquette.stations import line_finding, run_edits
from etiquette.stations.floor.figures import PULSE
from etiquette.stations.lines import taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Care, Cutter, Job, Plate, Printer, PrintMode, Roll, RollEntry, Run, Sheet, now
from etiquette.store.states import SheetState
from tests.conftest import wait_until
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, fill_shelf


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    shop.database.within(fill_shelf)
    with signed_in(shop) as made:
        yield made


def job(client: httpx.Client, name: str, days: int | None) -> int:
    due = None if days is None else str(datetime.now(UTC).date() + timedelta(days=days))
    return int(client.post("/api/jobs", json={"name": name, "due": due}).json()["id"])


def art(shop: Shop, of: int, due: int = 12, ready: bool = True) -> int:
    wanted = {"due_count": due, "ready": ready, "offset_mm": -3.0}
    (design,) = taking_in.take_in(shop, art_file("trueing-disc")[1], "target.png", of, wanted)
    do(shop, line_finding.find_lines, design_id=design)
    return design


def plated(shop: Shop, design: int, count: int = 12) -> int:
    run = shop.database.within(lambda s: run_edits.create(s, "One", [{"design_id": design, "count": count}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    return int(do(shop, plating.make_plates, run_id=run)["plate_ids"][0])


def print_of(shop: Shop, plate: int, state: SheetState, **more: Any) -> int:
    def put(session: Session) -> int:
        row = session.get_one(Plate, plate)
        number = session.scalar(select(func.count()).select_from(Sheet)) or 0
        name = f"{row.summary.code}-{number + 1}"
        sheet = Sheet(plate_id=plate, name=name, state=state, pieces=len(row.summary.placed), **more)
        session.add(sheet)
        session.flush()
        return int(sheet.id)

    return shop.database.within(put)


def floor(client: httpx.Client) -> dict[str, Any]:
    answer = client.get("/api/floor")
    assert answer.status_code == 200
    return dict(answer.json())


def hands(client: httpx.Client) -> list[str]:
    return [one["title"] for one in floor(client)["hands"]]


def test_jobs_stand_by_the_day_they_are_due_and_what_is_too_many_is_counted(client: httpx.Client) -> None:
    for days, count in ((-30, 1), (-1, 11), (0, 2), (1, 7), (3, 1), (4, 1), (5, 1), (6, 1), (40, 2), (None, 1)):
        for number in range(count):
            job(client, f"{days} {number}", days)
    shown = floor(client)
    assert shown["open"] == 28 and shown["late"] == 12
    days = [(one["key"], one["count"], len(one["jobs"])) for one in shown["days"]]
    # late ones are the nearest eight of twelve; of tomorrow six of seven; two in forty days and one without a day
    assert days == [
        ("late", 12, 8), ("day", 2, 2), ("day", 7, 6), *[("day", 1, 1)] * 4, ("later", 3, 1),
    ]  # fmt: skip
    assert {one["name"].split()[0] for one in shown["days"][0]["jobs"]} == {"-1"}


def test_what_is_handed_over_leaves_the_floor(shop: Shop, client: httpx.Client) -> None:
    of = job(client, "Targets", 0)
    design = art(shop, of)
    print_of(shop, plated(shop, design), SheetState.CUT, good=12)
    assert hands(client) == ["Hand over Targets"]
    version = client.get(f"/api/jobs/{of}").json()["version"]
    client.post(f"/api/jobs/{of}/handovers", json={"version": version, "counts": {design: 12}}).raise_for_status()
    assert floor(client)["open"] == 0 and hands(client) == []
    assert client.get("/api/designs").json() == []  # its designs are found by name, of their own or of their job
    for text in ("target", "TARGETS", "walk tar"):
        assert [one["id"] for one in client.get(f"/api/designs?text={text}").json()] == [design]
    assert client.get("/api/designs?text=other").json() == []


def test_what_a_job_was_handed_over_by_and_is_to_be_printed_on_stays(shop: Shop, client: httpx.Client) -> None:
    of, other = job(client, "Targets", 0), job(client, "Others", 0)
    design = art(shop, of)
    print_of(shop, plated(shop, design), SheetState.CUT, good=12)
    stock = client.get("/api/shelf").json()["stock"][0]["id"]
    version = client.get(f"/api/jobs/{of}").json()["version"]
    changed = client.patch(f"/api/jobs/{of}", json={"version": version, "changes": {"stock_id": stock}}).json()
    body = {"version": changed["version"], "counts": {design: 12}}
    client.post(f"/api/jobs/{of}/handovers", json=body).raise_for_status()
    client.post(f"/api/jobs/{other}/designs", json={"design_id": design}).raise_for_status()
    gone = client.delete(f"/api/whole/job/{of}")
    assert gone.status_code == 422 and "were handed over" in gone.text
    used = client.delete(f"/api/shelf/stock/{stock}")
    assert used.status_code == 422 and "1 jobs that are to be printed on it" in used.text


def test_what_keeps_a_machine_comes_before_what_is_next_for_one(shop: Shop, client: httpx.Client) -> None:
    of = job(client, "Targets", 1)
    waits = art(shop, of, ready=False)
    plate = plated(shop, art(shop, of))
    print_of(shop, plate, SheetState.LAMINATED)
    print_of(shop, plate, SheetState.LAMINATED)
    print_of(shop, plate, SheetState.UNCLEAR)
    print_of(shop, plate, SheetState.PRINTED, printed_at=now())
    print_of(shop, plate, SheetState.CUT)
    print_of(shop, plate, SheetState.READ, progress=ProgressDocument(waits_for="60° blade"))
    print_of(shop, plate, SheetState.HELD, roll_id=1)
    shown = floor(client)["hands"]
    assert [one["title"] for one in shown] == [
        "Put in the 60° blade",
        "Look whether One was printed",
        "Send One",
        "Put film on One",
        "Load One",
        "Count One",
        f"Check the line of {client.get(f'/api/designs/{waits}').json()['document']['name']}",
    ]
    load = shown[4]  # two sheets that wait for the same are one thing to do
    assert load["detail"] == "2 sheets · 24 pieces" and load["path"].startswith("/bench/")


def test_a_spoiled_print_is_to_be_made_again_until_it_was(shop: Shop, client: httpx.Client) -> None:
    plate = plated(shop, art(shop, job(client, "Targets", 1)))
    print_of(shop, plate, SheetState.FAILED)
    assert hands(client) == ["Print One again"]
    print_of(shop, plate, SheetState.PRINTING)
    assert hands(client) == []


def test_film_is_not_asked_for_while_the_ink_dries(shop: Shop, client: httpx.Client) -> None:
    plate = plated(shop, art(shop, job(client, "Targets", 1)))

    def wet(session: Session) -> None:
        run = session.scalars(select(Run)).one()
        mode = PrintMode(
            name="Slow", stock_id=run.told("stock_id"), printer_id=run.told("printer_id"), dpi=600, passes=8,
            two_way=True, m2_per_hour=10, ink_ml_m2=9, drying_minutes=90,
        )  # fmt: skip
        session.add(mode)
        session.flush()
        run_edits.change(session, run.id, None, "mode", {"print_mode_id": mode.id})

    shop.database.within(wet)
    print_of(shop, plate, SheetState.PRINTED, printed_at=now() - timedelta(minutes=30))
    (one,) = floor(client)["hands"]
    assert one["title"] == "Film for One"
    until = datetime.fromisoformat(one["not_before"]) - datetime.now(UTC)
    assert timedelta(minutes=50) < until <= timedelta(minutes=60)


def test_care_is_asked_for_when_it_is_due_and_white_waits_for_its_own(shop: Shop, client: httpx.Client) -> None:
    design = art(shop, job(client, "Targets", 1))
    shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 12}]))
    revision = client.get(f"/api/designs/{design}").json()["revision"]
    white = {"revision": revision, "words": "white", "changes": {"white": "art"}}
    client.post(f"/api/designs/{design}/edits", json=white).raise_for_status()
    do(shop, line_finding.find_lines, design_id=design)
    do(shop, nesting.nest_run, run_id=1, steps=1)
    (plate,) = do(shop, plating.make_plates, run_id=1)["plate_ids"]
    printer = shop.database.within(lambda session: session.scalars(select(Printer.id)).one())
    wished = {"name": "Stir the white", "every_metres": 0.1, "before_white": True}
    (made,) = client.post(f"/api/machines/printer/{printer}/care", json=wished).json()
    assert made["why"] is None and "Stir the white" not in hands(client)

    def blocks() -> list[str]:
        checks = client.get("/api/print/1/checks").json()
        return [one["words"] for one in checks if one["care"] is not None and one["state"] == "stop"]

    assert blocks() == []
    print_of(shop, plate, SheetState.CUT, good=12, printed_at=now() + timedelta(seconds=1))
    assert hands(client)[0] == "Stir the white" and len(blocks()) == 1
    assert client.get(f"/api/machines/printer/{printer}/care").json()[0]["why"].endswith("m since the last time")
    care = shop.database.within(lambda session: session.scalars(select(Care)).one().id)
    shop.database.within(lambda session: setattr(session.scalars(select(Sheet)).one(), "printed_at", now()))
    client.post(f"/api/care/{care}/done").raise_for_status()
    assert "Stir the white" not in hands(client) and blocks() == []


@pytest.mark.parametrize(
    ("body", "status", "said"),
    [
        ({"name": "Clean"}, 422, "never be due"),
        ({"name": " ", "every_days": 1}, 422, ""),
        ({"name": "Clean", "every_days": -1}, 422, ""),
        ({"name": "Stir", "every_days": 1}, 422, "already"),
    ],
)
def test_care_that_cannot_be_is_refused(client: httpx.Client, body: dict[str, Any], status: int, said: str) -> None:
    client.post("/api/machines/cutter/1/care", json={"name": "Stir", "idle_hours": 8}).raise_for_status()
    answer = client.post("/api/machines/cutter/1/care", json=body)
    assert answer.status_code == status and said in answer.text
    assert client.post("/api/machines/cutter/99/care", json={"name": "Clean", "every_days": 1}).status_code == 404


def test_jobs_of_one_stock_are_offered_as_one_run_that_is_made_in_one_press(shop: Shop, client: httpx.Client) -> None:
    first, second = job(client, "Targets", 1), job(client, "More targets", 2)
    one, two = art(shop, first, due=5), art(shop, second, due=7)
    version = client.get(f"/api/jobs/{second}").json()["version"]
    client.patch(f"/api/jobs/{second}", json={"version": version, "changes": {"spare_count": 2}}).raise_for_status()
    offered = floor(client)["together"]
    assert offered["jobs"] == ["Targets", "More targets"]
    items = client.get("/api/floor/together").json()
    assert items == [{"design_id": one, "count": 5}, {"design_id": two, "count": 9}]
    assert offered["saved_mm"] > 0
    body = {"name": "Both", "items": items, "stock_id": offered["stock_id"]}
    run = client.post("/api/runs", json=body).json()["id"]
    assert client.get(f"/api/runs/{run}").json()["document"]["stock_id"] == offered["stock_id"]
    assert floor(client)["together"] is None and client.get("/api/floor/together").json() == []


def test_a_roll_is_low_when_no_fuller_one_of_its_stock_is_on_hand(shop: Shop, client: httpx.Client) -> None:
    def use_up(session: Session) -> None:
        roll = session.scalars(select(Roll)).first()
        assert roll is not None
        roll.length_mm, roll.remaining_mm = 50_000.0, 4_000.0
        session.add(Roll(stock_id=roll.stock_id, name="Roll B", length_mm=50_000.0, remaining_mm=3_000.0))

    shop.database.within(use_up)
    low = floor(client)["low"]
    assert [(one["left_mm"], one["length_mm"]) for one in low] == [(4_000.0, 50_000.0)]
    shop.database.within(lambda s: setattr(s.scalars(select(Roll).where(Roll.name == "Roll B")).one(), "remaining_mm", 40_000.0))  # fmt: skip  # noqa: E501
    assert floor(client)["low"] == []


def test_the_week_is_what_the_ledger_says(shop: Shop, client: httpx.Client) -> None:
    def book(session: Session) -> None:
        for days, length, reason, reference in (
            (0, -2_000.0, "printed One", "sheet 1"),
            (0, -500.0, "spoiled: One", "sheet 2"),
            (2, -1_500.0, "printed One", "sheet 3"),
            (2, -900.0, "measured", "roll 1, entry 4"),  # hands took it off: nothing was printed on it
            (9, -7_000.0, "printed One", "sheet 4"),
        ):
            at = now() - timedelta(days=days)
            session.add(RollEntry(roll_id=1, length_mm=length, reason=reason, reference=reference, at=at))

    shop.database.within(book)
    shown = floor(client)
    used = {one["day"]: (one["used_mm"], one["spoiled_mm"]) for one in shown["week"]}
    today = now().date()
    assert len(used) == 7 and used[str(today)] == (2_500.0, 500.0)
    assert used[str(today - timedelta(days=2))] == (1_500.0, 0.0) and shown["used_today_mm"] == 2_500.0


def test_machines_say_what_they_are_at(shop: Shop, client: httpx.Client) -> None:
    plate = plated(shop, art(shop, job(client, "Targets", 1)))
    print_of(shop, plate, SheetState.LAMINATED)
    machines = {one["name"]: one for one in floor(client)["machines"]}
    cutter = shop.database.within(lambda session: session.scalars(select(Cutter.name)).one())
    assert machines[cutter]["waits"] == 1
    shop.database.within(lambda session: setattr(session.scalars(select(Cutter)).one(), "address", "socket://x:1"))
    machines = {one["name"]: one for one in floor(client)["machines"]}
    assert machines[cutter]["words"] == "does not answer" and machines[cutter]["tone"] == "stop"


def test_the_pulse_is_another_one_whenever_anything_changes(shop: Shop, client: httpx.Client) -> None:
    """The database notes changes to the second; while that lasts the pulse goes on changing, so that a page that looks
    again and again has seen all of them once it is over."""

    def pulse() -> str:
        wait_until(lambda: shop.database.within(lambda session: session.execute(PULSE).one()[1]) is None)
        return str(client.get("/api/bar").json()["pulse"])

    seen = {pulse()}
    for change in (
        lambda session: session.add(Job(name="One", customer="Two")),
        lambda session: setattr(session.scalars(select(Job)).one(), "notes", "look"),
        lambda session: session.delete(session.scalars(select(Job)).one()),
    ):
        shop.database.within(change)
        new = pulse()
        assert new not in seen and new == pulse()
        seen.add(new)
