"""The queue of a printer: all frames in one action, earlier, later, held, and nothing printed twice."""

from collections.abc import Iterator

import httpx
import pytest

from etiquette.demo.art import art_file
from etiquette.stations import line_finding, run_edits
from etiquette.stations.lines import taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Roll, Sheet, Task
from etiquette.store.states import TaskState
from etiquette.tasks.following import by_turn
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, fill_shelf

KEY = "a-key-of-the-screen"


@pytest.fixture
def framed(shop: Shop) -> tuple[Shop, int]:
    """A run of three frames, plated: the cutter reads no further."""
    shop.database.within(fill_shelf)
    shop.database.within(lambda session: setattr(session.get_one(Cutter, 1), "reach_along_mm", 150.0))
    (design,) = taking_in.take_in(shop, art_file("trueing-disc")[1], "target.png", None, {"offset_mm": -3.0})
    do(shop, line_finding.find_lines, design_id=design)
    run = shop.database.within(
        lambda session: run_edits.create(session, "Targets", [{"design_id": design, "count": 20}])
    )
    shop.database.within(
        lambda session: run_edits.change(session, run, None, "laying", {"laying": "grid", "grid": {"columns": 2}})
    )
    do(shop, nesting.nest_run, run_id=run, steps=1)
    assert len(do(shop, plating.make_plates, run_id=run)["plate_ids"]) >= 3
    return shop, run


@pytest.fixture
def client(framed: tuple[Shop, int]) -> Iterator[httpx.Client]:
    with signed_in(framed[0]) as made:
        yield made


def revision(client: httpx.Client, run: int) -> int:
    return int(client.get(f"/api/print/{run}").json()["settings"]["revision"])


def queue(client: httpx.Client, run: int) -> list[str]:
    return [one["sheet"] for one in client.get(f"/api/print/{run}").json()["queue"]]


def sent(client: httpx.Client, run: int, key: str = KEY) -> list[int]:
    answer = client.post(f"/api/print/{run}/send", json={"revision": revision(client, run), "key": key})
    assert answer.status_code == 200, answer.json()
    return list(answer.json()["task_ids"])


def test_all_frames_are_sent_once_in_their_order(client: httpx.Client, framed: tuple[Shop, int]) -> None:
    shop, run = framed
    first = sent(client, run)
    assert sent(client, run) == first and len(first) >= 3  # the answer was lost, and it is asked again
    codes = [plate["code"] for plate in client.get(f"/api/print/{run}").json()["plates"]]
    assert [name.split("-")[0] for name in queue(client, run)] == codes
    assert shop.database.within(lambda session: session.query(Sheet).count()) == len(first)
    assert sent(client, run, KEY + "-again") != first  # asked for once more: printed once more


def test_a_roll_that_is_too_short_for_all_of_them_sends_none(client: httpx.Client, framed: tuple[Shop, int]) -> None:
    shop, run = framed
    lengths = [plate["length_mm"] for plate in client.get(f"/api/print/{run}").json()["plates"]]
    short = sum(lengths) - 1  # long enough for each of them
    shop.database.within(lambda session: setattr(session.get_one(Roll, 1), "remaining_mm", short))
    body = {"revision": revision(client, run), "key": KEY}
    refused = client.post(f"/api/print/{run}/send", json=body)
    assert refused.status_code == 422 and "All frames of Targets need" in refused.json()["title"]
    assert queue(client, run) == []


def test_another_run_than_the_screen_shows_is_not_sent(client: httpx.Client, framed: tuple[Shop, int]) -> None:
    _, run = framed
    body = {"revision": revision(client, run) - 1, "key": KEY}
    assert client.post(f"/api/print/{run}/send", json=body).status_code == 409


def test_what_waits_changes_places_and_is_taken_up_in_that_order(
    client: httpx.Client, framed: tuple[Shop, int]
) -> None:
    shop, run = framed
    tasks = sent(client, run)[:3]
    a, b, c, *rest = queue(client, run)

    def turned(task: int, way: str) -> list[str]:
        assert client.post(f"/api/queue/{task}/turn", json={"way": way}).status_code == 200
        return queue(client, run)

    assert turned(tasks[2], "earlier") == [a, c, b, *rest]
    assert turned(tasks[2], "earlier") == [c, a, b, *rest]
    assert turned(tasks[2], "earlier") == [c, a, b, *rest]  # it is the first
    assert turned(tasks[0], "later") == [c, b, a, *rest]
    waiting = shop.database.within(
        lambda session: [one.id for one in session.query(Task).filter_by(name="print").order_by(by_turn())]
    )
    assert waiting[:3] == [tasks[2], tasks[1], tasks[0]]


def test_what_is_held_leaves_the_queue_and_can_be_sent_again(client: httpx.Client, framed: tuple[Shop, int]) -> None:
    shop, run = framed
    task = sent(client, run)[1]
    name = queue(client, run)[1]
    assert client.post(f"/api/queue/{task}/hold").status_code == 200
    sheets = {one["name"]: one for one in client.get(f"/api/print/{run}").json()["sheets"]}
    assert sheets[name]["state"] == "held" and name not in queue(client, run)
    again = client.post(f"/api/sheets/{sheets[name]['id']}/send").json()["task_id"]
    assert again != task and queue(client, run)[-1] == name
    assert shop.database.within(lambda session: session.get_one(Task, task).state) == TaskState.CANCELLED
    # what is at work, or done, is not moved
    shop.database.within(lambda session: setattr(session.get_one(Task, again), "state", TaskState.RUNNING))
    assert client.post(f"/api/queue/{again}/turn", json={"way": "earlier"}).status_code == 422
    assert client.post("/api/queue/999999/hold").status_code == 404


def test_a_sheet_that_the_printer_may_have_is_never_held(client: httpx.Client, framed: tuple[Shop, int]) -> None:
    """It was handed over, nobody knows what became of it, and the question waits in the queue: held and sent it would
    be printed twice."""
    shop, run = framed
    task = sent(client, run)[0]
    (sheet,) = [one for one in client.get("/api/sheets").json() if one["name"] == queue(client, run)[0]]
    shop.database.within(lambda session: setattr(session.get_one(Task, task), "state", TaskState.RUNNING))
    shop.database.within(lambda session: setattr(session.get_one(Task, task), "state", TaskState.FAILED))
    shop.database.within(lambda session: setattr(session.get_one(Sheet, sheet["id"]), "state", "unclear"))
    asking = client.post(f"/api/sheets/{sheet['id']}/settle", json={"how": "ask"}).json()["task_id"]
    refused = client.post(f"/api/queue/{asking}/hold")
    assert refused.status_code == 422 and "may have this sheet already" in refused.json()["title"]
    assert shop.database.within(lambda session: session.get_one(Sheet, sheet["id"]).state) == "printing"
    # called off, it is as little known as before
    assert client.delete(f"/api/tasks/{asking}").status_code < 300
    assert shop.database.within(lambda session: session.get_one(Sheet, sheet["id"]).state) == "unclear"
    # and whether it was printed can be asked again: the question is never the sending itself
    again = client.post(f"/api/sheets/{sheet['id']}/settle", json={"how": "ask"}).json()["task_id"]
    assert shop.database.within(lambda session: session.get_one(Task, again).arguments["again"])


def test_runs_share_the_queue_of_their_printer_and_no_other(client: httpx.Client, framed: tuple[Shop, int]) -> None:
    """What another run has there is seen and can be passed; another printer has a queue of its own."""
    shop, run = framed
    design = client.get("/api/designs").json()[0]["id"]

    def made(name: str) -> int:
        return shop.database.within(
            lambda session: run_edits.create(session, name, [{"design_id": design, "count": 2}])
        )

    other, elsewhere = made("Urgent"), made("On another printer")
    printer = client.post("/api/shelf/printer", json={"name": "Printer west"}).json()["id"]
    shop.database.within(lambda session: run_edits.change(session, elsewhere, None, "printer", {"printer_id": printer}))
    for one in (other, elsewhere):
        do(shop, nesting.nest_run, run_id=one, steps=1)
        do(shop, plating.make_plates, run_id=one)
    sent(client, run)
    (urgent,) = sent(client, other, KEY + "-urgent")
    sent(client, elsewhere, KEY + "-elsewhere")
    names = queue(client, run)
    assert names == queue(client, other) and len(queue(client, elsewhere)) == 1
    assert not set(queue(client, elsewhere)) & set(names)
    for _ in names:  # to the very front, past every frame of the other run
        client.post(f"/api/queue/{urgent}/turn", json={"way": "earlier"}).raise_for_status()
    assert queue(client, run) == [names[-1], *names[:-1]]
    shown = client.get(f"/api/print/{run}").json()["queue"]
    assert [one["run_name"] for one in shown][:1] == ["Urgent"] and all(one["waits"] for one in shown)


def another(shop: Shop, client: httpx.Client, name: str) -> int:
    """A run of one small frame, laid out."""
    design = client.get("/api/designs").json()[0]["id"]
    run = shop.database.within(lambda session: run_edits.create(session, name, [{"design_id": design, "count": 2}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    return run


def several(client: httpx.Client, *runs: int, key: str = KEY, of: int = 0) -> httpx.Response:
    wanted = [{"run_id": run, "revision": of or revision(client, run)} for run in runs]
    return client.post("/api/print/send", json={"runs": wanted, "key": key})


def test_several_runs_are_sent_in_one_action(client: httpx.Client, framed: tuple[Shop, int]) -> None:
    shop, run = framed
    other, third = another(shop, client, "Urgent"), another(shop, client, "Of no haste")
    ready = client.get(f"/api/print/{run}/beside").json()
    assert [(one["run"]["name"], one["plated"], one["same_stock"]) for one in ready] == [
        ("Of no haste", False, True),
        ("Urgent", False, True),
    ]
    for one in (other, third):
        do(shop, plating.make_plates, run_id=one)
    assert all(one["plated"] for one in client.get(f"/api/print/{run}/beside").json())
    tasks = several(client, other, run, third).json()["task_ids"]
    assert several(client, other, run, third).json()["task_ids"] == tasks  # sent again, because the answer was lost
    names = [one["run_name"] for one in client.get(f"/api/print/{run}").json()["queue"]]
    assert names[0] == "Urgent" and names[-1] == "Of no haste"
    assert all(one.startswith("Targets, frame") for one in names[1:-1])
    assert len(names) == len(tasks) and client.get(f"/api/print/{run}/beside").json() == []


def test_runs_that_do_not_fit_on_their_roll_together_are_not_sent_at_all(
    client: httpx.Client, framed: tuple[Shop, int]
) -> None:
    """Each of them would; the second is told what waits already."""
    shop, run = framed
    other = another(shop, client, "Urgent")
    do(shop, plating.make_plates, run_id=other)
    lengths = [plate["length_mm"] for one in (run, other) for plate in client.get(f"/api/print/{one}").json()["plates"]]
    short = sum(lengths) - 1
    shop.database.within(lambda session: setattr(session.query(Roll).first(), "remaining_mm", short))
    refused = several(client, run, other)
    assert refused.status_code == 422 and "besides what waits for the printer" in refused.json()["title"]
    assert "Urgent" in refused.json()["title"] and queue(client, run) == []
    assert several(client, run, other, of=999).status_code == 409 and queue(client, run) == []
    shop.database.within(lambda session: setattr(session.query(Roll).first(), "remaining_mm", short + 1.01))
    assert several(client, run, other, key=KEY + "-longer").status_code == 200


def test_what_is_at_work_stands_first_whatever_its_turn(client: httpx.Client, framed: tuple[Shop, int]) -> None:
    shop, run = framed
    tasks = sent(client, run)
    names = queue(client, run)
    shop.database.within(lambda session: setattr(session.get_one(Task, tasks[1]), "state", TaskState.RUNNING))
    assert queue(client, run) == [names[1], names[0], *names[2:]]
    # and it is not passed: the first of those that wait stays behind it
    client.post(f"/api/queue/{tasks[0]}/turn", json={"way": "earlier"}).raise_for_status()
    assert queue(client, run) == [names[1], names[0], *names[2:]]
