"""Watched folders and orders over HTTP: a file that rests is taken once, whatever is cut off, and goes on to its print
files by its recipe; what cannot be an order is put by with the reason."""

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from sqlalchemy import select
from sqlalchemy.exc import OperationalError

from etiquette.demo.art import art_file
from etiquette.intake import gathering, orders
from etiquette.intake.watching import REST_SECONDS, FolderWatch
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, DropFolder, Job, Order, Plate, Recipe, Run, Sheet, Task
from etiquette.store.states import TaskState
from etiquette.tasks.work import Worker
from tests.signed_in import signed_in
from tests.stations.shop_floor import fill_shelf

SPARK = art_file("spark")[1]
OPEN_LINE = b"""<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">
<rect x="5" y="5" width="50" height="30" fill="#286"/>
<g id="Kiss cut"><path d="M5 5 H55 V35 H15" fill="none" stroke="#e0f" stroke-width="0.1"/></g></svg>"""
GRID = {"laying": "grid", "gap_mm": 3.0, "improve_seconds": 0.0}


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    shop.database.within(fill_shelf)
    with signed_in(shop) as made:
        yield made


class Clock:
    """The time of a watch, moved by hand."""

    now = 100.0

    def __call__(self) -> float:
        return self.now


class Watched:
    def __init__(self, shop: Shop, path: Path) -> None:
        self.shop, self.path, self.clock = shop, path, Clock()
        self.watch = FolderWatch(shop, lambda: None, self.clock)

    def look(self, times: int = 2) -> None:
        for _ in range(times):
            self.watch.look_at_all()
            self.clock.now += REST_SECONDS

    def put(self, name: str, content: bytes = SPARK) -> None:
        (self.path / name).write_bytes(content)

    def lies(self, where: str = "") -> list[str]:
        there = self.path / where
        return (
            sorted(one.name for one in there.iterdir() if one.is_file() or one.is_symlink()) if there.exists() else []
        )


@pytest.fixture
def watched(shop: Shop, client: httpx.Client, tmp_path_factory: pytest.TempPathFactory) -> Watched:
    path = tmp_path_factory.mktemp("drop") / "orders"
    path.mkdir()
    recipe = client.post("/api/recipes", json={"name": "Sparks"}).json()
    change = {"version": 1, "lines": {"offset_mm": 1.0}, "run": GRID}
    client.patch(f"/api/recipes/{recipe['id']}", json=change).raise_for_status()
    client.post("/api/folders", json={"name": "Orders", "path": str(path)}).raise_for_status()
    wish = {"version": 1, "recipe_id": recipe["id"], "pattern": "{name} {count}x"}
    client.patch("/api/folders/1", json=wish).raise_for_status()
    return Watched(shop, path)


def work(shop: Shop) -> None:
    """All that is in the queue, as a worker would."""
    worker = Worker(shop.database, shop, "computing")
    while worker.run_one():
        pass


def rows(shop: Shop, model: type[Any]) -> list[Any]:
    return shop.database.within(lambda session: list(session.scalars(select(model).order_by(model.id))))


def test_a_file_becomes_print_files_without_a_touch(shop: Shop, watched: Watched) -> None:
    watched.put("Little spark 6x.png")
    watched.look(1)
    assert rows(shop, Order) == []  # it has to rest first
    watched.look(1)
    (order,) = rows(shop, Order)
    assert (order.state, order.put_by, watched.lies(), watched.lies("done")) == (
        "waiting", True, [], ["Little spark 6x.png"],
    )  # fmt: skip
    work(shop)
    (order,), (design,), (run,) = rows(shop, Order), rows(shop, Design), rows(shop, Run)
    assert (order.state, order.run_id, design.document.due_count) == ("done", run.id, 6)
    assert (design.document.offset_mm, design.document.ready) == (1.0, True)
    assert (run.document.laying, run.document.gap_mm) == ("grid", 3.0)
    (sheet,) = rows(shop, Sheet)
    assert sheet.state == "held" and sheet.pieces == 6 and len(rows(shop, Plate)) == 1
    (job,) = rows(shop, Job)
    assert job.name == "Little spark" and job.recipe["name"] == "Sparks"


def test_a_line_that_is_not_to_be_trusted_is_cut_by_no_recipe(
    shop: Shop, client: httpx.Client, watched: Watched
) -> None:
    """A customer's own line that does not come back to its start: once it went to print as ready, nobody having seen
    it."""
    watched.put("Tag 2x.svg", OPEN_LINE)
    watched.look()
    work(shop)
    (order,), (design,) = rows(shop, Order), rows(shop, Design)
    assert order.state == "asks" and "The line of Tag has to be looked at: The line is open." in order.words
    assert not design.document.ready and rows(shop, Run) == []
    client.post("/api/orders/1/again").raise_for_status()  # nobody has looked: it asks again
    work(shop)
    assert rows(shop, Order)[0].state == "asks" and rows(shop, Run) == []
    shown = client.get(f"/api/designs/{design.id}").json()
    change = {"revision": shown["revision"], "words": "ready", "changes": {"ready": True}}
    client.post(f"/api/designs/{design.id}/edits", json=change).raise_for_status()
    client.post("/api/orders/1/again").raise_for_status()
    work(shop)
    assert rows(shop, Order)[0].state == "done" and len(rows(shop, Plate)) == 1


def test_what_is_still_written_is_left_alone_until_it_rests(shop: Shop, watched: Watched) -> None:
    watched.put("One.png", SPARK[:4000])
    watched.look(1)
    watched.put("One.png", SPARK[:9000])
    watched.look(1)
    watched.put("One.png")
    watched.look(1)
    assert rows(shop, Order) == []
    watched.put("Two.png.part")
    watched.put(".hidden.png")
    watched.look(1)
    assert [order.file_name for order in rows(shop, Order)] == ["One.png"]
    assert watched.lies() == [".hidden.png", "Two.png.part"]


@pytest.mark.parametrize("cut", ["before it is kept", "before it is put by"])
def test_a_kill_loses_no_file_and_doubles_none(
    shop: Shop, watched: Watched, monkeypatch: pytest.MonkeyPatch, cut: str
) -> None:
    class Killed(BaseException):
        pass

    def killed(*_: Any, **__: Any) -> None:
        raise Killed

    watched.put("One 4x.png")
    with monkeypatch.context() as broken:
        broken.setattr(orders if cut == "before it is kept" else os, "_kept" if "kept" in cut else "rename", killed)
        with pytest.raises(Killed):
            watched.look()
    assert watched.lies() == ["One 4x.png"] and len(rows(shop, Order)) == (0 if "kept" in cut else 1)
    after = Watched(shop, watched.path)  # Etiquette is started again
    after.look()
    work(shop)
    after.look()
    (order,) = rows(shop, Order)
    assert order.state == "done" and order.put_by and watched.lies() == [] and watched.lies("done") == ["One 4x.png"]
    assert len(rows(shop, Run)) == len(rows(shop, Design)) == len(rows(shop, Sheet)) == 1


def test_work_that_was_cut_off_anywhere_is_done_once(
    shop: Shop, watched: Watched, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The order is carried on from the beginning after each of its steps was the last that was done."""
    watched.put("One 4x.png")
    watched.look()

    class Killed(BaseException):
        pass

    for steps in range(1, 7):
        left = [steps]

        def counting(shop: Shop, task: Any, arguments: Any, left: list[int] = left) -> Any:
            left[0] -= 1
            if left[0] < 0:
                raise Killed
            return task.work(shop, arguments, lambda *_: True).published(shop.database)

        with monkeypatch.context() as broken:
            broken.setattr(orders, "_do", counting)
            try:
                orders.carry_on(shop, 1)
            except Killed:
                continue
    (order,) = rows(shop, Order)
    assert order.state == "done"
    assert len(rows(shop, Run)) == len(rows(shop, Plate)) == len(rows(shop, Sheet)) == 1


def test_an_order_whose_work_broke_off_asks_and_goes_on_when_it_is_told(
    shop: Shop, client: httpx.Client, watched: Watched, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The database went and came back while an order was worked: its task had failed, and nobody took it up again."""
    watched.put("Star 3x.png")
    watched.look()

    def away(*_: object) -> None:
        raise OperationalError("SELECT 1", None, Exception("gone away"))

    with monkeypatch.context() as held:
        held.setattr(orders, "_do", away)
        work(shop)
    (order,) = rows(shop, Order)
    assert order.state == "asks" and "broke off" in order.words
    client.post(f"/api/orders/{order.id}/again").raise_for_status()
    work(shop)
    (order,) = rows(shop, Order)
    assert order.state == "done" and len(rows(shop, Sheet)) == len(rows(shop, Run)) == 1


def test_orders_that_waited_for_each_other_ask_when_their_run_broke_off(
    shop: Shop, client: httpx.Client, watched: Watched, monkeypatch: pytest.MonkeyPatch
) -> None:
    wish = {"version": rows(shop, DropFolder)[0].version, "gather": "metres", "gather_metres": 0.2}
    client.patch("/api/folders/1", json=wish).raise_for_status()
    watched.put("Two 80x.png")
    watched.look()
    work(shop)
    watched.look()

    def away(*_: object) -> None:
        raise OperationalError("SELECT 1", None, Exception("gone away"))

    with monkeypatch.context() as held:
        held.setattr(orders, "run_together", away)
        work(shop)
    (order,) = rows(shop, Order)
    assert order.state == "asks" and rows(shop, Run) == []
    client.post(f"/api/orders/{order.id}/again").raise_for_status()
    work(shop)
    watched.look()
    work(shop)
    (order,) = rows(shop, Order)
    assert order.state == "done" and len(rows(shop, Sheet)) == len(rows(shop, Run)) == 1


def test_the_same_file_again_is_refused_with_the_day_it_came(shop: Shop, watched: Watched) -> None:
    watched.put("One 4x.png")
    watched.look()
    watched.put("One 4x.png")
    watched.put("Two 4x.png")  # the same art under another name is another order
    watched.look()
    assert [order.file_name for order in rows(shop, Order)] == ["One 4x.png", "Two 4x.png"]
    assert watched.lies("refused") == ["One 4x.png", "One 4x.png.txt"]
    assert "The same file came on" in (watched.path / "refused" / "One 4x.png.txt").read_text()


def test_what_is_no_art_is_put_by_with_the_reason(shop: Shop, watched: Watched, tmp_path: Path) -> None:
    (tmp_path / "secret.png").write_bytes(SPARK)
    (watched.path / "leads out.png").symlink_to(tmp_path / "secret.png")
    (watched.path / "inside").mkdir()
    watched.put("notes.txt", b"call her back")
    watched.put("ñandú 漁船.png", b"\x89PNG broken")
    watched.look()
    assert watched.lies("refused") == [
        "leads out.png", "leads out.png.txt", "notes.txt", "notes.txt.txt", "ñandú 漁船.png", "ñandú 漁船.png.txt",
    ]  # fmt: skip
    assert (tmp_path / "secret.png").read_bytes() == SPARK and "links are not followed" in (
        watched.path / "refused" / "leads out.png.txt"
    ).read_text()
    assert {order.state for order in rows(shop, Order)} == {"refused"}
    (folder,) = rows(shop, DropFolder)
    assert "inside" in folder.problem and rows(shop, Design) == []


def test_a_name_that_is_no_text_is_an_order_like_any_other(shop: Shop, watched: Watched) -> None:
    raw = os.fsencode(watched.path) + b"/caf\xe9 4x.png"
    with open(raw, "wb") as file:
        file.write(SPARK)
    watched.look()
    work(shop)
    (order,) = rows(shop, Order)
    assert (order.file_name, order.state) == ("caf? 4x.png", "done") and watched.lies() == []


def test_a_file_that_nobody_had_thought_of_stops_no_other(
    shop: Shop, watched: Watched, monkeypatch: pytest.MonkeyPatch
) -> None:
    def odd(*given: Any) -> int:
        raise ZeroDivisionError

    watched.put("One 4x.png")
    with monkeypatch.context() as broken:
        broken.setattr(orders, "take", odd)
        watched.look()
    assert "does not know why" in (watched.path / "refused" / "One 4x.png.txt").read_text()
    watched.put("Two 4x.png")
    watched.look()
    assert [(order.file_name, order.state) for order in rows(shop, Order)] == [
        ("One 4x.png", "refused"), ("Two 4x.png", "waiting"),
    ]  # fmt: skip


def test_a_folder_that_is_gone_is_said_and_comes_back(shop: Shop, client: httpx.Client, watched: Watched) -> None:
    watched.path.rename(watched.path.with_name("away"))
    watched.look()
    assert "not there" in client.get("/api/folders").json()[0]["problem"]
    watched.path.with_name("away").rename(watched.path)
    watched.put("One 4x.png")
    watched.look(3)
    assert client.get("/api/folders").json()[0]["problem"] == "" and len(rows(shop, Order)) == 1


def test_art_that_does_not_say_how_wide_it_is_asks_and_goes_on_when_it_is_told(
    shop: Shop, client: httpx.Client, watched: Watched
) -> None:
    from io import BytesIO

    from PIL import Image

    out = BytesIO()
    Image.open(BytesIO(SPARK)).save(out, "PNG")  # without its dots an inch
    watched.put("One 4x.png", out.getvalue())
    watched.look()
    work(shop)
    (order,) = rows(shop, Order)
    assert order.state == "asks" and "no size yet" in order.words
    (design,) = rows(shop, Design)
    edit = {"revision": design.revision, "words": "width", "changes": {"width_mm": 44.0}}
    client.post(f"/api/designs/{design.id}/edits", json=edit).raise_for_status()
    client.post("/api/orders/1/again").raise_for_status()
    work(shop)
    assert rows(shop, Order)[0].state == "done"
    assert client.post("/api/orders/1/again").status_code == 422


def test_a_folder_gathers_until_there_are_metres_and_each_file_is_in_one_run(
    shop: Shop, client: httpx.Client, watched: Watched
) -> None:
    wish = {"version": rows(shop, DropFolder)[0].version, "gather": "metres", "gather_metres": 0.2}
    client.patch("/api/folders/1", json=wish).raise_for_status()
    watched.put("One 4x.png")
    watched.look()
    work(shop)
    watched.look()
    shown = client.get("/api/folders").json()[0]
    assert shown["waiting"] == 1 and 0 < shown["waiting_mm"] < 200 and rows(shop, Run) == []
    watched.put("Two 80x.png")
    watched.look()
    work(shop)
    watched.look()  # there is enough: the run is put in the queue, once
    watched.look()
    work(shop)
    (run,) = rows(shop, Run)
    assert {item.count for item in run.document.items} == {4, 80}
    assert {order.state for order in rows(shop, Order)} == {"done"}
    assert len([task for task in rows(shop, Task) if task.name == "gather"]) == 1


def test_a_run_at_a_set_hour_is_made_once_a_day(shop: Shop, client: httpx.Client, watched: Watched) -> None:
    from datetime import datetime

    wish = {"version": rows(shop, DropFolder)[0].version, "gather": "hour", "gather_hour": 16}
    client.patch("/api/folders/1", json=wish).raise_for_status()

    def at(hour: int, day: int = 1) -> bool:
        return shop.database.within(lambda session: gathering.begin(session, 1, datetime(2027, 3, day, hour, 5)))

    shop.database.within(
        lambda session: session.add(Order(key="key one", folder_id=1, file_name="a", state="gathered", designs=[]))
    )
    assert not at(15) and at(16) and not at(17)
    shop.database.within(
        lambda session: session.add(Order(key="key two", folder_id=1, file_name="b", state="gathered", designs=[]))
    )
    assert not at(18) and not at(9, day=2) and at(16, day=2)


def test_orders_of_a_shops_own_system_come_once(shop: Shop, client: httpx.Client, watched: Watched) -> None:
    def send(**more: str) -> httpx.Response:
        body = {"key": "order-4711", "name": "Badge", "customer": "Kite club", "count": "9", "width": "1 1/2 in",
                "due": "2026-12-24", "recipe": "Sparks", **more}  # fmt: skip
        return client.post("/api/orders", data=body, files={"file": ("badge.png", SPARK)})

    first, second = send(), send()
    assert first.status_code == second.status_code == 200 and first.json()["id"] == second.json()["id"]
    work(shop)
    (design,), (job,) = rows(shop, Design), rows(shop, Job)
    assert (design.document.due_count, round(design.document.width_mm, 2)) == (9, 38.1)
    assert (job.customer, str(job.due)) == ("Kite club", "2026-12-24")
    assert client.get(f"/api/orders/{first.json()['id']}").json()["state"] == "done"
    assert send(key="order-4712", recipe="None").status_code == 422
    assert client.post("/api/orders", data={"key": "order-4713"}, files={"file": ("a.png", b"no")}).status_code == 422
    assert len(rows(shop, Order)) == 1


@pytest.mark.parametrize(
    ("path", "said"),
    [
        ("orders", "whole one"),
        ("{data}", "keeps its own files"),
        ("{data}/files", "keeps its own"),
        ("{orders}/x", "watches there"),
    ],
)
def test_a_folder_that_cannot_be_watched_is_refused(
    shop: Shop, client: httpx.Client, watched: Watched, path: str, said: str
) -> None:
    real = path.format(data=shop.settings.data, orders=watched.path)
    answer = client.post("/api/folders", json={"name": "Other", "path": real})
    assert answer.status_code == 422 and said in answer.text


def test_a_pattern_is_tried_before_it_is_used(client: httpx.Client) -> None:
    asked = {"pattern": "{customer} - {name} {count}x", "name": "Ferry - Band 14x.png"}
    assert client.get("/api/folders/name", params=asked).json() == {
        "name": "Band", "count": 14, "width_mm": None, "customer": "Ferry",
    }  # fmt: skip
    assert client.get("/api/folders/name", params={"pattern": "{what}", "name": "a.png"}).status_code == 422


def test_sent_by_its_recipe(shop: Shop, client: httpx.Client, watched: Watched) -> None:
    (recipe,) = rows(shop, Recipe)
    client.patch(f"/api/recipes/{recipe.id}", json={"version": recipe.version, "send": True}).raise_for_status()
    watched.put("One 4x.png")
    watched.look()
    work(shop)
    (sheet,) = rows(shop, Sheet)
    assert sheet.state == "printing"
    assert [task.state for task in rows(shop, Task) if task.name == "print"] == [TaskState.WAITING]


def test_what_would_stop_a_person_stops_an_order_too_and_is_sent_by_nobody_later(
    shop: Shop, client: httpx.Client, watched: Watched
) -> None:
    """White settles: its care is due, so nothing with white goes to the printer by itself, now or when it is tried
    again."""
    (recipe,) = rows(shop, Recipe)
    change = {"version": recipe.version, "send": True, "lines": {"white": "art"}}
    client.patch(f"/api/recipes/{recipe.id}", json=change).raise_for_status()
    wish = {"name": "Stir the white", "every_days": 0.000001, "before_white": True}
    client.post("/api/machines/printer/1/care", json=wish).raise_for_status()
    watched.put("One 4x.png")
    watched.look()
    work(shop)
    (order,), (sheet,) = rows(shop, Order), rows(shop, Sheet)
    assert order.state == "done" and "held at Print: Stir the white" in order.words and sheet.state == "held"
    client.post("/api/care/1/done")
    change = {"every_days": 30}
    client.patch("/api/care/1", json=change).raise_for_status()
    orders.run_together(shop, [order.id])  # its work is begun once more, as after a kill
    (sheet,) = rows(shop, Sheet)
    assert sheet.state == "held" and not [task for task in rows(shop, Task) if task.name == "print"]


def named(client: httpx.Client, pattern: str) -> None:
    """Names of files in the folder say the customer too."""
    version = client.get("/api/folders").json()[0]["version"]
    client.patch("/api/folders/1", json={"version": version, "pattern": pattern}).raise_for_status()


def larger_spark() -> bytes:
    """Other art of the same proportions."""
    return art_file("spark")[1] + b" "  # what stands behind the end of a PNG is not read


def test_a_file_that_is_called_like_an_open_design_may_be_its_newer_art(
    shop: Shop, client: httpx.Client, watched: Watched
) -> None:
    named(client, "{customer} - {name} {count}x")
    watched.put("Bell foundry - Seal 6x.png")
    watched.look()
    work(shop)
    (first,) = rows(shop, Design)
    watched.put("Bell foundry - Seal 9x.png", larger_spark())
    watched.put("Ferry - Seal 9x.png", larger_spark())  # another customer's
    watched.look()
    work(shop)
    newest = {row.file_name: row for row in rows(shop, Order)}
    asks, other = newest["Bell foundry - Seal 9x.png"], newest["Ferry - Seal 9x.png"]
    assert (asks.state, asks.newer_of, other.state, other.newer_of) == ("asks", first.id, "done", None)
    hands = client.get("/api/floor").json()["hands"]
    (hand,) = [one for one in hands if one["title"].startswith("Look at Bell foundry")]
    assert hand["detail"] == "It may be newer art of Seal, Bell foundry." and hand["path"] == "/shelf?folder=1"
    jobs = len(rows(shop, Job))
    assert client.post(f"/api/orders/{asks.id}/newer").json() == {"design_id": first.id}
    work(shop)
    held = shop.database.within(lambda session: session.get_one(Design, first.id).document)
    assert held.due_count == 6 and held.offset_mm == 1.0 and held.art_id != first.document.art_id  # settings stay
    assert len(rows(shop, Job)) == jobs - 1 and len(rows(shop, Design)) == 2
    (done,) = [row for row in rows(shop, Order) if row.id == asks.id]
    assert (done.state, done.words, done.designs) == ("done", "newer art of Seal", [first.id])
    assert client.get(f"/api/designs/{first.id}").json()["undo"].startswith("newer art")
    again = client.post(f"/api/orders/{asks.id}/newer")
    assert again.status_code == 422 and "not newer art of anything" in again.json()["title"]


def test_or_it_goes_on_as_a_job_of_its_own(shop: Shop, client: httpx.Client, watched: Watched) -> None:
    named(client, "{customer} - {name} {count}x")
    for count in (6, 9):
        watched.put(f"Bell foundry - Seal {count}x.png", SPARK + b" " * count)
        watched.look()
        work(shop)
    asks = rows(shop, Order)[-1]
    assert asks.state == "asks" and len(rows(shop, Run)) == 1
    client.post(f"/api/orders/{asks.id}/again").raise_for_status()
    work(shop)
    assert rows(shop, Order)[-1].state == "done" and len(rows(shop, Run)) == 2


def test_the_width_of_a_recipe_is_that_of_all_whose_name_says_none(
    shop: Shop, client: httpx.Client, watched: Watched
) -> None:
    recipe = client.get("/api/recipes").json()[0]
    wish = {"version": recipe["version"], "lines": {"width_mm": 42.5}}
    client.patch(f"/api/recipes/{recipe['id']}", json=wish).raise_for_status()
    folder = client.get("/api/folders").json()[0]
    wish = {"version": folder["version"], "pattern": "{name} {width}mm"}
    client.patch("/api/folders/1", json=wish).raise_for_status()
    watched.put("Little spark.png")
    watched.put("Large spark 80mm.png")
    watched.look()
    found = {one.document.name: one.document.width_mm for one in rows(shop, Design)}
    assert found == {"Little spark": 42.5, "Large spark": 80.0}
