"""What was spoiled joins the next run on its stock; of a job that is late it gets one of its own at once."""

from datetime import timedelta
from decimal import Decimal

import httpx
from sqlalchemy.orm import Session

from etiquette.server import remaking
from etiquette.stations import remakes, run_edits
from etiquette.stations.bench import counting
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import BenchEntry, Roll, Run, Sheet, Stock, Task, now
from etiquette.store.states import SheetState
from tests.server.test_jobs import art, client, job_of, printed
from tests.stations.shop_floor import do

__all__ = ["client"]  # the fixture


def spoiled(shop: Shop, client: httpx.Client, good: int = 9, **changes: object) -> tuple[int, int]:
    """A job of 12 of which only `good` are; its design."""
    job = client.post("/api/jobs", json={"name": "Targets"}).json()["id"]
    if changes:
        version = job_of(client, job)["version"]
        client.patch(f"/api/jobs/{job}", json={"version": version, "changes": changes}).raise_for_status()
    design = art(shop, job)
    count = job_of(client, job)["parts"][0]["wanted"]
    run = shop.database.within(lambda s: run_edits.create(s, "One", [{"design_id": design, "count": count}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    printed(shop, run, SheetState.CUT, good=good)
    return job, design


def begun(client: httpx.Client, design: int, **more: object) -> dict[str, object]:
    answer = client.post(
        "/api/runs", json={"name": "Two", "items": [{"design_id": design, "count": 5}], "with_remakes": True, **more}
    )
    assert answer.status_code == 200, answer.text
    return dict(answer.json())


def test_it_goes_into_the_next_run_and_undo_takes_it_out(shop: Shop, client: httpx.Client) -> None:
    job, design = spoiled(shop, client)
    other = art(shop)
    run = begun(client, other)
    assert run["joined"] == ["3 Target of Targets again"] and run["pieces"] == 8
    assert job_of(client, job)["parts"][0]["missing"] == 0
    assert begun(client, other)["joined"] == []  # once
    shown = client.get(f"/api/runs/{run['id']}").json()
    assert [(item["design_id"], item["count"]) for item in shown["document"]["items"]] == [(other, 5), (design, 3)]
    client.post(f"/api/runs/{run['id']}/undo", json={"revision": shown["revision"]}).raise_for_status()
    assert job_of(client, job)["parts"][0]["missing"] == 3


def test_spares_make_up_for_it_first(shop: Shop, client: httpx.Client) -> None:
    spoiled(shop, client, good=14, spare_count=3)  # 15 were made, one is spoiled, 12 are due
    assert begun(client, art(shop))["joined"] == []


def test_it_waits_for_its_own_stock(shop: Shop, client: httpx.Client) -> None:
    def another(session) -> None:  # type: ignore[no-untyped-def]
        session.add(Stock(name="Clear 600", width_mm=600, price_m2=Decimal(4), currency="EUR", tolerance_mm=0.3))
        session.flush()
        session.add(Roll(stock_id=2, name="Clear 600 A", length_mm=5000, remaining_mm=4000))

    shop.database.within(another)
    spoiled(shop, client)
    other = art(shop)
    assert begun(client, other, stock_id=2)["joined"] == []
    assert shop.database.within(lambda session: list(remakes.waiting(session, 1).values())) == [3]
    assert begun(client, other, stock_id=1)["joined"] == ["3 Target of Targets again"]


def test_what_is_asked_for_itself_put_away_or_done_does_not_join(shop: Shop, client: httpx.Client) -> None:
    job, design = spoiled(shop, client)
    assert begun(client, design)["joined"] == []  # it is in this run already, with the count that was asked for
    job, design = spoiled(shop, client)
    client.put(f"/api/whole/job/{job}/away", json={"away": True})
    assert begun(client, art(shop))["joined"] == []
    client.put(f"/api/whole/job/{job}/away", json={"away": False})
    asked = {"version": job_of(client, job)["version"], "counts": {str(design): 9}}
    client.post(f"/api/jobs/{job}/handovers", json=asked).raise_for_status()
    assert begun(client, art(shop))["joined"] == ["3 Target of Targets again"]  # three are still due


def test_who_does_not_ask_for_it_gets_what_was_asked_for(shop: Shop, client: httpx.Client) -> None:
    spoiled(shop, client)
    assert begun(client, art(shop), with_remakes=False)["joined"] == []


LATE = "2026-01-05"
LATER = timedelta(minutes=11)


def counted_good(shop: Shop, good: int) -> int:
    """Somebody says so at the Bench, of the newest sheet."""

    def said(session: Session) -> int:
        sheet = session.query(Sheet).order_by(Sheet.id.desc()).first()
        assert sheet is not None
        counting.count_good(session, sheet.id, good)
        return sheet.id

    return shop.database.within(said)


def begun_late(shop: Shop, after: timedelta = LATER) -> list[int]:
    return shop.database.within(lambda session: remakes.begin_late(session, now() + after))


def items_of(shop: Shop, run: int) -> list[tuple[int, int]]:
    document = shop.database.within(lambda session: session.get_one(Run, run).document)
    return [(item.design_id, item.count) for item in document.items]


def pressed_again(session: Session, sheet: int) -> int:
    counting.mark_spoiled(session, sheet, [1, 2, 3])
    session.get_one(Sheet, sheet).remake_at = None
    return counting.reprint(session, sheet)


def test_of_a_late_job_it_is_begun_once_it_rests(shop: Shop, client: httpx.Client) -> None:
    job, design = spoiled(shop, client, good=12, due=LATE)
    sheet = counted_good(shop, 9)
    assert begun_late(shop, timedelta()) == []  # pieces may still be marked
    (run,) = begun_late(shop)
    assert items_of(shop, run) == [(design, 3)]
    assert job_of(client, job)["parts"][0]["missing"] == 0

    def words(session: Session) -> list[str]:
        return [one.words for one in session.query(BenchEntry).filter_by(sheet_id=sheet)]

    assert any("made again at once" in one for one in shop.database.within(words))
    # a press of “Print 3 again” leads to the same run, never to a second one of the same pieces
    assert shop.database.within(lambda session: pressed_again(session, sheet)) == run
    assert len(client.get("/api/runs").json()) == 2
    client.delete(f"/api/whole/run/{run}").raise_for_status()
    assert job_of(client, job)["parts"][0]["missing"] == 3
    assert begun_late(shop) == []  # somebody does not want it


def test_of_a_job_in_time_it_waits_until_that_is_late(shop: Shop, client: httpx.Client) -> None:
    job, design = spoiled(shop, client, good=12, due="2999-01-01")
    counted_good(shop, 10)
    assert begun_late(shop) == []
    asked = {"version": job_of(client, job)["version"], "changes": {"due": LATE}}
    client.patch(f"/api/jobs/{job}", json=asked).raise_for_status()
    (run,) = begun_late(shop)
    assert items_of(shop, run) == [(design, 2)]


def test_what_spares_make_up_for_or_another_run_has_is_not_begun(shop: Shop, client: httpx.Client) -> None:
    spoiled(shop, client, good=15, spare_count=3, due=LATE)
    counted_good(shop, 14)
    assert begun_late(shop) == []
    spoiled(shop, client, good=12, due=LATE)
    counted_good(shop, 9)
    assert begun(client, art(shop))["joined"] == ["3 Target of Targets again"]
    assert begun_late(shop) == []
    spoiled(shop, client, good=12, due=LATE)
    counted_good(shop, 9)
    counted_good(shop, 12)  # a mistake
    assert begun_late(shop) == []


def test_where_it_cannot_be_begun_the_bench_says_why(shop: Shop, client: httpx.Client) -> None:
    spoiled(shop, client, good=12, due=LATE)
    sheet = counted_good(shop, 9)

    def away(session: Session) -> None:
        for roll in session.query(Roll):
            roll.away = True

    shop.database.within(away)
    assert begun_late(shop) == []

    def words(session: Session) -> list[str]:
        return [one.words for one in session.query(BenchEntry).filter_by(sheet_id=sheet, state="stop")]

    (said,) = shop.database.within(words)
    assert "There is no roll yet." in said
    assert begun_late(shop) == []  # it is said once


def test_the_server_lays_it_out(shop: Shop, client: httpx.Client) -> None:
    spoiled(shop, client, good=12, due=LATE)
    sheet = counted_good(shop, 9)

    def rested(session: Session) -> list[int]:
        session.get_one(Sheet, sheet).remake_at = now()
        session.flush()
        return remaking.begun(session)

    (run,) = shop.database.within(rested)
    asked = shop.database.within(lambda session: [(one.name, one.arguments) for one in session.query(Task)])
    assert ("nest", {"run_id": run}) in asked


def test_the_floor_asks_for_a_run_that_began_by_itself_until_it_is_sent(shop: Shop, client: httpx.Client) -> None:
    def asked() -> list[tuple[str, str, str, str | None]]:
        shown = [one for one in client.get("/api/floor").json()["hands"] if one["words"] == "pieces that were spoiled"]
        return [(one["title"], one["detail"], one["path"], one["due"]) for one in shown]

    spoiled(shop, client, good=12, due=LATE)
    sheet = counted_good(shop, 9)
    assert asked() == []
    (run,) = begun_late(shop)
    assert asked() == [("Print One, again", "3 pieces", f"/print/{run}", LATE)]
    do(shop, nesting.nest_run, run_id=run, steps=1)
    assert len(asked()) == 1
    printed(shop, run, SheetState.PRINTED)
    assert asked() == []
    assert shop.database.within(lambda session: session.get_one(Sheet, sheet).remade_run_id) == run
