"""What comes in is checked at the border, and what a device or a web page may do to us is bounded.

The defects of the list “Firm ground”, by their numbers: 13, 15, 16, 17, 18, 20, 23.
"""

import contextlib
import itertools
import json
import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import httpx
import pytest
from sqlalchemy import select
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from etiquette.core.calibrating.cards import CARDS, result_of
from etiquette.core.calibrating.patterns import pattern_of
from etiquette.core.cutting.profiles import BOUNDS, ToolCard
from etiquette.core.errors import JobError
from etiquette.demo.art import art_file
from etiquette.demo.room import Room as RoomClient
from etiquette.devices import hpgl_cutter, http_eye, ipp_message
from etiquette.devices.byte_line import ByteLine
from etiquette.devices.contracts import LineBroken
from etiquette.devices.drivers import cutter_at, eye_at, printer_at
from etiquette.server import guards
from etiquette.stations.floor import lamps as watching
from etiquette.stations.floor.lamps import LampWatcher, lamps
from etiquette.stations.lines import taking_in
from etiquette.stations.shelf import card_cutting
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Design, Job, Run
from tests.conftest import PATIENCE
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, fill_shelf, tell
from tests.strangers import free_port


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    shop.database.within(fill_shelf)
    with signed_in(shop) as made:
        yield made


@contextmanager
def machine(answer: Callable[[socket.socket], None]) -> Iterator[int]:
    """A machine of one connection that answers as `answer` writes."""
    listener = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        with listener.accept()[0] as connection:
            connection.recv(1000)
            with suppress(OSError):  # the other side has had enough
                answer(connection)

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    yield listener.getsockname()[1]
    listener.close()


def test_13_a_web_pages_request_is_no_question_for_a_device(room: Shop) -> None:
    machines = RoomClient.noted_in(room.settings.data).machines
    printer, cutter = machines["printer"], machines["cutter"]
    ports = [one.port for one in machines.values()] + [int(cutter.address.rsplit(":", 1)[1])]
    for port in ports:
        for request in (
            b"GET /?ask=unload HTTP/1.1\r\nHost: x\r\n\r\n",
            b'POST / HTTP/1.1\r\n\r\n{"ask": "unload"}\n',
            b"\n",
            b"{nonsense\n",
        ):
            with socket.create_connection(("127.0.0.1", port), timeout=60) as connection:
                connection.sendall(request)
                assert connection.recv(100) == b"", (port, request)  # closed without a word
    assert "loaded" in tell(room, "cutter", "state")
    # what speaks HTTP refuses what a page of another origin can send
    for address, method in ((printer.address.replace("ipp", "http", 1), "POST"), (f"{cutter.eye}/look", "GET")):
        answer = httpx.request(method, address, headers={"Origin": "http://elsewhere", "Content-Type": "text/plain"})
        assert answer.status_code in (404, 415)


def test_13_a_get_moves_no_head(client: httpx.Client) -> None:
    assert client.get("/api/bench/1/marks/m1/window?x=1&y=2").status_code == 405
    moving = [route for route in client.get("/api/openapi.json").json()["paths"].items() if "window" in route[0]]
    assert moving and all(set(methods) == {"post"} for _, methods in moving)


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "no-cors", "Sec-Fetch-Dest": "image"}, 403),
        ({"Sec-Fetch-Site": "same-site", "Sec-Fetch-Mode": "cors", "Sec-Fetch-Dest": "empty"}, 403),
        ({"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "iframe"}, 403),
        ({"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "document"}, 200),
        ({"Sec-Fetch-Site": "same-origin"}, 200),
        ({"Sec-Fetch-Site": "none"}, 200),
        ({}, 200),
    ],
)
def test_13_the_browser_says_who_asks(client: httpx.Client, headers: dict[str, str], status: int) -> None:
    """Source: W3C, Fetch Metadata Request Headers."""
    assert client.get("/api/floor", headers=headers).status_code == status


@pytest.mark.parametrize("force", [1e9, -1e9, 0.0, 1995.0])
def test_15_a_card_out_of_bounds_reaches_no_machine(room: Shop, force: float) -> None:
    """The last one begins within the bounds, and its eighth step would not be."""
    asked = {"card": "force", "cutter_id": 1, "stock_id": 1, "kind": "kiss", "readings": {"first_gf": force}}
    with pytest.raises(JobError):
        do(room, card_cutting.cut_card, **asked)
    assert tell(room, "cutter", "state")["loaded"] is None


@pytest.mark.parametrize("value", [1e9, -1e9, float("nan"), float("inf")])
def test_15_one_definition_bounds_whatever_is_told(client: httpx.Client, value: float) -> None:
    for name in BOUNDS:
        with pytest.raises(JobError):
            ToolCard(**{name: value})
    with pytest.raises(JobError):
        pattern_of("knife", {"first_mm": value})
    card = {
        "card": "knife",
        "cutter_id": 1,
        "stock_id": 1,
        "kind": "kiss",
        "readings": {"first_mm": value, "step_mm": 0.1, "best": 3},
    }
    answer = client.post("/api/test-cards/cut", content=json.dumps(card), headers={"Content-Type": "application/json"})
    assert answer.status_code == (200 if abs(value) == 1e9 else 422)  # the task refuses what is a number
    with pytest.raises(JobError):
        result_of("knife", card["readings"], {})  # type: ignore[arg-type]


def test_15_a_reading_within_its_bounds_sets_nothing_beyond_those_of_the_tool() -> None:
    readings = {"first_gf": 2000.0, "step_gf": 500.0, "lifts": 40.0, "marks": 0.0}
    assert all(question.least <= readings[question.name] <= question.most for question in CARDS["force"].questions)
    with pytest.raises(JobError, match="it goes from 1 to 2000"):
        result_of("force", readings, {})


def test_16_what_is_too_large_is_refused_before_it_is_spooled(
    client: httpx.Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(guards, "MOST_UPLOAD_BYTES", 50_000)
    monkeypatch.setattr(guards, "MOST_TEXT_BYTES", 5_000)
    form = {"Content-Type": "multipart/form-data; boundary=x"}
    came: list[int] = []

    def stream(size: int) -> Iterator[bytes]:
        yield b'--x\r\nContent-Disposition: form-data; name="file"; filename="a.png"\r\n\r\n'
        for _ in range(size // 10_000):
            came.append(1)
            yield b"0" * 10_000
        yield b"\r\n--x--\r\n"

    told = client.post("/api/designs", content=b"0" * 60_000, headers=form)
    untold = client.post("/api/designs", content=stream(1_000_000), headers=form)
    for answer in (told, untold, client.post("/api/runs", content=b"0" * 6_000)):
        assert answer.status_code == 413 and "400 MB" in answer.json()["title"]
    name, content = art_file("spark")
    assert len(content) < 50_000 and client.post("/api/designs", files={"file": (name, content)}).status_code == 200


def test_16_files_are_taken_up_one_by_one(shop: Shop) -> None:
    name, content = art_file("spark")
    held: list[int] = []

    def take() -> bytes:
        held.append(1)
        return content

    files = [taking_in.ArtFile(f"{number} {name}", take) for number in range(3)]
    assert len(taking_in.take_in_together(shop, files, None)) == 3 and len(held) == 3
    with pytest.raises(JobError, match="61 files"):
        taking_in.take_in_together(shop, [taking_in.ArtFile(f"{number}.png", take) for number in range(61)], None)
    assert len(held) == 3


def test_16_what_is_in_stays_in_and_is_told_when_a_later_file_cannot_be_read(shop: Shop) -> None:
    name, content = art_file("spark")
    files = [taking_in.ArtFile(f"{one}.png", lambda held=held: held) for one, held in (("a", content), ("b", b"no"))]
    with pytest.raises(JobError, match="not a picture") as told:
        taking_in.take_in_together(shop, files, None, job_name="Night market")
    assert "1 of the designs" in told.value.do and told.value.where == "b.png"
    assert shop.database.within(lambda session: list(session.scalars(select(Job.name)))) == ["Night market"]


def test_17_a_machine_that_drips_has_no_more_time_than_a_silent_one(monkeypatch: pytest.MonkeyPatch) -> None:
    go_on = threading.Event()

    def drip(connection: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while not go_on.wait(0.02):
                connection.sendall(b" ")

    monkeypatch.setattr(http_eye, "ANSWER_SECONDS", 0.3)
    monkeypatch.setattr(ipp_message, "ANSWER_SECONDS", 0.3)
    with machine(drip) as port, pytest.raises(LineBroken):
        eye_at(f"http://127.0.0.1:{port}", "Eye").look()
    with machine(drip) as port, pytest.raises(LineBroken):
        printer_at(f"ipp://127.0.0.1:{port}/", "Printer").status()
    with machine(drip) as port, cutter_at(f"socket://127.0.0.1:{port}", "Cutter") as cutter:
        monkeypatch.setattr(hpgl_cutter, "ANSWER_SECONDS", 0.3)
        with pytest.raises(LineBroken, match="does not say where it is"):
            cutter.position()
    go_on.set()


def test_17_an_endless_answer_ends_at_a_size() -> None:
    def endless(connection: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while True:
                connection.sendall(b"0" * 10_000)

    ends = pytest.raises(LineBroken, match="does not come to the end")
    with machine(endless) as port, cutter_at(f"socket://127.0.0.1:{port}", "Cutter") as cutter, ends:
        cutter.position()
    with machine(endless) as port, pytest.raises(LineBroken):
        printer_at(f"ipp://127.0.0.1:{port}/", "Printer").status()


def test_17_pages_are_shown_the_lamps_that_a_watcher_saw(client: httpx.Client, shop: Shop) -> None:
    """No page asks a device: one that is silent holds nobody up."""
    watcher = client.app.state.lamps  # type: ignore[attr-defined]
    assert client.get("/api/bar").json()["lamps"] == []
    watcher.last = [("Cutter north", "cutter", True)]
    assert client.get("/api/bar").json()["lamps"] == [{"name": "Cutter north", "kind": "cutter", "on": True}]
    dark = f"socket://127.0.0.1:{free_port()}"
    shop.database.within(
        lambda session: session.add(
            Cutter(name="Cutter north", reach_across_mm=100, reach_along_mm=100, speed_mm_s=1, address=dark)
        )
    )
    assert lamps(shop) == [("Cutter north", "cutter", False)]


def test_lamps_stand_while_the_database_is_away_and_are_seen_again_after_it(
    shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The watcher goes on watching."""
    seen, looks = [("Cutter north", "cutter", True)], threading.Semaphore(0)
    answers: Iterator[Any] = itertools.chain([seen, OperationalError("", {}, Exception("away"))], itertools.repeat([]))

    def asked(_: Shop) -> Any:
        looks.release()
        if isinstance(answer := next(answers), Exception):
            raise answer
        return answer

    monkeypatch.setattr(watching, "lamps", asked)
    monkeypatch.setattr(watching, "BETWEEN_LAMPS_SECONDS", 0.0)
    watcher = LampWatcher(shop)
    watcher.look()
    watcher.look()
    assert watcher.seen() == seen
    watcher.start()
    for _ in range(5):
        assert looks.acquire(timeout=PATIENCE)
    watcher.stop()
    assert watcher.seen() == []


def test_a_serial_port_is_only_looked_for_when_its_lamp_is_asked(
    shop: Shop, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """To open it sets its control lines, and some machines begin anew."""
    port = tmp_path / "tty"
    shop.database.within(
        lambda session: session.add_all(
            Cutter(name=name, reach_across_mm=100, reach_along_mm=100, speed_mm_s=1, address=f"{kind}:{port}")
            for name, kind in (("North", "serial"), ("South", "usb"))
        )
    )
    monkeypatch.setattr(ByteLine, "__enter__", lambda _: pytest.fail("it was opened"))
    assert [on for *_, on in lamps(shop)] == [False, False]
    port.touch()
    assert [on for *_, on in lamps(shop)] == [True, True]


@pytest.fixture
def run(client: httpx.Client, shop: Shop) -> int:
    (design,) = taking_in.take_in(shop, art_file("spark")[1], "spark.png", None)
    return int(
        client.post("/api/runs", json={"name": "One", "items": [{"design_id": design, "count": 3}]}).json()["id"]
    )


def test_18_odd_values_are_sentences(client: httpx.Client, run: int) -> None:
    for method, path, body in (
        ("POST", f"/api/runs/{run}/edits", {"revision": 1, "words": "x" * 201, "changes": {}}),
        ("POST", f"/api/runs/{run}/edits", {"revision": 1, "words": "half \ud83d", "changes": {}}),
        ("POST", f"/api/runs/{run}/edits", {"revision": 1, "words": "x", "changes": {"name": "half \ud83d"}}),
        ("POST", "/api/runs", {"name": "half \udc00", "items": []}),
        ("POST", "/api/runs", {"name": "x", "items": [{"design_id": 2**40, "count": 1}]}),
        ("POST", "/api/runs", {"name": "x", "items": [{"design_id": 999, "count": 1}]}),
        ("GET", f"/api/runs/{run}/layouts/-655/thumb", None),
        ("GET", "/api/plates/1/part?x=0&y=0&width=1e-9&height=5&dpi=72", None),
        ("GET", "/api/plates/1/part?x=0&y=0&width=5&height=5e-324&dpi=72", None),
        ("GET", "/api/plates/1/part?x=nan&y=0&width=5&height=5&dpi=72", None),
        ("POST", "/api/room/runs/999/roll", None),
        ("POST", "/api/bench/1/count", {"good": 2**70}),
    ):
        content = json.dumps(body) if body is not None else None
        answer = client.request(method, path, content=content, headers={"Content-Type": "application/json"})
        assert answer.status_code in (404, 422), (path, answer.status_code)
        assert answer.json()["title"].endswith(".") and answer.json()["do"], answer.json()
    assert len(client.get("/api/runs").json()) == 1


def test_20_sentences_name_the_thing_that_is_meant(client: httpx.Client) -> None:
    stock = client.get("/api/shelf").json()["stock"][0]
    refused = client.post(f"/api/shelf/stock/{stock['id']}", json={"version": 77, "changes": {"width_mm": 500}})
    assert refused.status_code == 409 and refused.json()["where"] == f"stock {stock['id']}"
    assert client.get("/api/tasks/999/events").status_code == 404  # what the page then forgets


def test_23_one_odd_row_never_hides_the_others(client: httpx.Client, shop: Shop, run: int) -> None:
    def spoil(session: Session) -> None:
        design, row = session.query(Design).one(), session.query(Run).one()
        session.add(
            Design(job_id=design.job_id, document_json={**design.document_json, "shape_of_tomorrow": 1, "name": "Odd"})
        )
        session.add(Run(document_json={"name": "Odd run"}, state=row.state))

    shop.database.within(spoil)
    assert [one["name"] for one in client.get("/api/designs").json()] == ["Spark"]
    assert [one["name"] for one in client.get("/api/runs").json()] == ["Odd run", "One"]
    assert "another version" in client.get("/api/runs/2").text
    (day,) = client.get("/api/floor").json()["days"]
    assert [(job["name"], job["words"]) for job in day["jobs"]] == [("Spark", "needs lines")]


def test_23_customers_whose_names_differ_by_an_accent_are_two(shop: Shop) -> None:
    from etiquette.stations import designs
    from etiquette.stations.lines import editing
    from tests.vector_art import label_pdf

    made = {}
    for name in ("Müller", "Muller", "MULLER"):

        def job(session: Session, name: str = name) -> int:
            row = Job(name=name, customer=name, due=None)
            session.add(row)
            session.flush()
            return row.id

        (made[name],) = taking_in.take_in(shop, label_pdf(), "label.pdf", shop.database.within(job))
    shop.database.within(lambda session: editing.keep_meaning(session, made["Müller"], "score", "crease"))
    meanings = {
        name: shop.database.within(lambda session, one=one: designs.state_of(session, one)).meanings
        for name, one in made.items()
    }
    assert meanings == {"Müller": {"score": "crease"}, "Muller": {}, "MULLER": {}}


def test_18_what_is_too_short_is_not_said_to_be_missing(client: httpx.Client) -> None:
    told = client.post("/api/plates/1/send", json={"revision": 1, "key": "short"})
    assert (told.status_code, told.json()["title"]) == (422, "Key: it is shorter than 8 letters.")
    told = client.post("/api/plates/1/send", json={"revision": 1})
    assert (told.status_code, told.json()["title"]) == (422, "Key: it is missing.")
