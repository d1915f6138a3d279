"""Jobs, designs and runs as a whole over the API: once more, put away, deleted with what is theirs alone."""

from typing import Any

import httpx
import pytest
from sqlalchemy import func, select

from etiquette.stations import run_edits
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Base, Design, Frame, Job, Plate, Task
from etiquette.store.states import SheetState, TaskState
from tests.server.test_jobs import art, client, job_of, printed
from tests.stations.shop_floor import do

__all__ = ["client"]  # the fixture


def job_with(shop: Shop, client: httpx.Client, nested: bool = True) -> tuple[int, int, int]:
    """A job, its design and its run."""
    asked = {"name": "Targets", "customer": "Foundry", "due": "2026-12-03"}
    job = client.post("/api/jobs", json=asked).json()["id"]
    design = art(shop, job, 4)
    run = shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 4}]))
    if nested:
        do(shop, nesting.nest_run, run_id=run, steps=1)
    return job, design, run


def rows(shop: Shop, *but: str) -> dict[str, int]:
    """How many rows every table has."""

    def counted(session: Any) -> dict[str, int]:
        tables = {name: table for name, table in Base.metadata.tables.items() if name not in but}
        return {name: session.scalar(select(func.count()).select_from(table)) for name, table in tables.items()}

    return shop.database.within(counted)


def edited(client: httpx.Client, run: int, items: list[dict[str, int]]) -> None:
    revision = client.get(f"/api/runs/{run}").json()["revision"]
    asked = {"revision": revision, "words": "designs", "changes": {"items": items}}
    client.post(f"/api/runs/{run}/edits", json=asked).raise_for_status()


def whole(client: httpx.Client, kind: str, number: int) -> dict[str, Any]:
    return dict(client.get(f"/api/whole/{kind}/{number}").json())


def test_a_job_that_was_only_planned_goes_with_all_that_is_its_own(shop: Shop, client: httpx.Client) -> None:
    before = rows(shop, "blob", "art", "line_result", "task", "task_event", "audit_entry")
    job, _, run = job_with(shop, client)
    do(shop, plating.make_plates, run_id=run)
    assert whole(client, "job", job) == {
        "away": False, "words": "Targets goes for good, with 1 design and 1 run.", "held": "",
    }  # fmt: skip
    assert client.delete(f"/api/whole/job/{job}").status_code == 204
    assert rows(shop, "blob", "art", "line_result", "task", "task_event", "audit_entry") == before
    assert client.get(f"/api/jobs/{job}").status_code == client.get(f"/api/runs/{run}").status_code == 404


@pytest.mark.parametrize("state", [SheetState.HELD, SheetState.CUT])
def test_what_was_printed_stays(shop: Shop, client: httpx.Client, state: SheetState) -> None:
    job, design, run = job_with(shop, client)
    printed(shop, run, state)
    before = rows(shop)
    for kind, number in (("job", job), ("design", design), ("run", run)):
        refused = client.delete(f"/api/whole/{kind}/{number}")
        assert refused.status_code == 422 and "cannot be deleted" in refused.json()["title"]
        assert whole(client, kind, number)["held"]
    assert rows(shop) == before
    # also when its run has other pieces now
    other = art(shop, job)
    items = [{"design_id": other, "count": 1}]
    edited(client, run, items)
    assert whole(client, "design", design)["held"] == "There is 1 print of it."


def test_what_is_shared_with_other_jobs_stays(shop: Shop, client: httpx.Client) -> None:
    job, design, run = job_with(shop, client, nested=False)
    other = art(shop, client.post("/api/jobs", json={"name": "Other"}).json()["id"])
    items = [{"design_id": design, "count": 4}, {"design_id": other, "count": 2}]
    edited(client, run, items)
    assert whole(client, "job", job)["held"].startswith("One has pieces of other jobs too")
    assert whole(client, "design", design)["held"].startswith("One has pieces of it")
    assert client.delete(f"/api/whole/run/{run}").status_code == 204  # its designs stay
    assert job_of(client, job)["parts"][0]["missing"] == 4
    assert client.delete(f"/api/whole/design/{design}").status_code == 204
    assert job_of(client, job)["parts"] == [] and client.get(f"/api/designs/{design}").status_code == 404


def test_a_run_that_is_worked_on_waits(shop: Shop, client: httpx.Client) -> None:
    _, _, run = job_with(shop, client, nested=False)
    task = Task(name="nest", arguments={"run_id": run}, key="k", state=TaskState.WAITING)
    shop.database.within(lambda session: session.add(task))
    refused = client.delete(f"/api/whole/run/{run}")
    assert refused.status_code == 422 and "being worked on" in refused.json()["title"]


def test_handed_over_pieces_keep_their_job(shop: Shop, client: httpx.Client) -> None:
    job, design, run = job_with(shop, client)
    printed(shop, run, SheetState.CUT, good=4)
    asked = {"version": job_of(client, job)["version"], "counts": {str(design): 4}}
    client.post(f"/api/jobs/{job}/handovers", json=asked).raise_for_status()
    assert (
        whole(client, "job", job)["held"] == whole(client, "design", design)["held"] == "Pieces of it were handed over."
    )


def test_ordered_again_a_job_has_its_designs_and_no_day(shop: Shop, client: httpx.Client) -> None:
    job, design, _ = job_with(shop, client)
    version = job_of(client, job)["version"]
    changes = {"notes": "matt film", "spare_count": 2}
    client.patch(f"/api/jobs/{job}", json={"version": version, "changes": changes}).raise_for_status()
    again = client.post(f"/api/whole/job/{job}/again").json()["id"]
    made = job_of(client, again)
    assert (made["name"], made["customer"], made["due"], made["notes"]) == ("Targets", "Foundry", None, "matt film")
    (part,) = made["parts"]
    assert part["id"] != design and part["missing"] == 4 and part["wanted"] == 6 and part["runs"] == []
    assert part["pieces"]["ready"] == 4  # somebody has looked at this line
    keys = (design, part["id"])
    copied = shop.database.within(lambda session: [session.get_one(Design, key).document for key in keys])
    assert copied[0] == copied[1]
    assert job_of(client, job)["parts"][0]["missing"] == 0  # the first one is what it was


def test_a_run_once_more_is_nested_and_has_codes_of_its_own(shop: Shop, client: httpx.Client) -> None:
    _, _, run = job_with(shop, client)
    again = client.post(f"/api/whole/run/{run}/again").json()["id"]
    first, made = (client.get(f"/api/runs/{number}").json() for number in (run, again))
    assert made["document"]["name"] == "One, again" and made["figures"] == first["figures"]
    assert made["fresh"] and len(made["plans"]) == len(first["plans"])
    assert made["plans"][0]["code"] != first["plans"][0]["code"]
    (plate,) = do(shop, plating.make_plates, run_id=again)["plate_ids"]
    assert shop.database.within(lambda session: session.get_one(Plate, plate).run_id) == again
    assert shop.database.within(lambda session: session.scalar(select(func.count(Frame.id)))) == 2


def test_what_is_put_away_is_in_no_list_and_found_by_its_name(shop: Shop, client: httpx.Client) -> None:
    job, design, run = job_with(shop, client)
    kept, _, _ = job_with(shop, client, nested=False)

    def listed() -> tuple[set[int], set[int], set[int], int]:
        jobs = {one["id"] for one in client.get("/api/jobs").json()["jobs"]}
        designs = {one["id"] for one in client.get("/api/designs").json()}
        runs = {one["id"] for one in client.get("/api/runs").json()}
        return jobs, designs, runs, client.get("/api/bar").json()["open"]

    def put(kind: str, number: int, away: bool) -> None:
        assert client.put(f"/api/whole/{kind}/{number}/away", json={"away": away}).status_code == 204

    before = listed()
    put("run", run, True)
    put("design", design, True)
    assert (design in listed()[1], run in listed()[2], job in listed()[0]) == (False, False, True)
    put("design", design, False)
    put("job", job, True)
    jobs, designs, runs, open_now = listed()
    assert jobs == {kept} and design not in designs and run not in runs and open_now == before[3] - 1
    assert all(job not in [one["id"] for one in day["jobs"]] for day in client.get("/api/floor").json()["days"])
    assert job in {one["id"] for one in client.get("/api/jobs", params={"text": "targets"}).json()["jobs"]}
    assert run in {one["id"] for one in client.get("/api/runs", params={"text": "one"}).json()}
    assert any(one["path"] == f"/floor/job/{job}" for one in client.get("/api/find", params={"text": "foundry"}).json())
    assert job_of(client, job)["away"]
    put("job", job, False)
    put("run", run, False)
    assert listed() == before


def test_what_is_not_there_is_a_sentence(shop: Shop, client: httpx.Client) -> None:
    for kind in ("job", "design", "run"):
        for asked in (
            client.get(f"/api/whole/{kind}/4711"),
            client.post(f"/api/whole/{kind}/4711/again"),
            client.put(f"/api/whole/{kind}/4711/away", json={"away": True}),
            client.delete(f"/api/whole/{kind}/4711"),
        ):
            assert asked.status_code == 404 and f"no such {kind}" in asked.json()["title"]
    assert client.get("/api/whole/roll/1").status_code == 422
    assert shop.database.within(lambda session: session.scalar(select(func.count(Job.id)))) == 0
