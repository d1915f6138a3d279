"""Which roll lies on a printer, by the label that was scanned when it was put on: a printer that says nothing of what
it holds is believed by no one else."""

from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from etiquette.core.printing.roll_labels import label_payload, roll_code
from etiquette.demo.art import art_file
from etiquette.stations import line_finding, run_edits
from etiquette.stations.lines import taking_in
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Printer, Roll
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, fill_shelf


@pytest.fixture
def client(shop: Shop, tmp_path: Path) -> Iterator[httpx.Client]:
    """A shop whose printer is a folder, which never says what lies on it."""
    shop.database.within(fill_shelf)
    shop.database.within(lambda session: setattr(session.get_one(Printer, 1), "address", f"folder:{tmp_path}"))
    with signed_in(shop) as made:
        yield made


@pytest.fixture
def run(client: httpx.Client, shop: Shop) -> int:
    (design,) = taking_in.take_in(shop, art_file("trueing-disc")[1], "target.png", None, {"offset_mm": -3.0})
    do(shop, line_finding.find_lines, design_id=design)
    made = shop.database.within(lambda session: run_edits.create(session, "R", [{"design_id": design, "count": 4}]))
    do(shop, nesting.nest_run, run_id=made, steps=1)
    return made


def label(shop: Shop, roll_id: int) -> str:
    return label_payload(shop.database.within(lambda session: session.get_one(Roll, roll_id).code))


def another_roll(client: httpx.Client, stock_id: int) -> int:
    return int(client.post("/api/shelf/roll", json={"stock_id": stock_id}).json()["id"])


def lying(client: httpx.Client, run: int) -> list[tuple[str, str, int | None]]:
    """The checks that tell what lies on the printer."""
    checks = client.get(f"/api/print/{run}/checks").json()
    return [(one["state"], one["words"], one["other_roll"]) for one in checks if "label" in one["words"]]


def scan(client: httpx.Client, run: int, said: str) -> httpx.Response:
    return client.put(f"/api/print/{run}/scanned", json={"label": said})


def test_a_scanned_label_says_what_lies_there(client: httpx.Client, shop: Shop, run: int) -> None:
    ((state, words, _),) = lying(client, run)
    assert state == "look" and "scan the label of its roll" in words
    own = client.get(f"/api/runs/{run}").json()["document"]["roll_id"]
    assert scan(client, run, label(shop, own)).status_code == 200
    ((state, words, _),) = lying(client, run)
    assert state == "good" and words.startswith("By its label")
    client.delete(f"/api/print/{run}/scanned").raise_for_status()
    assert lying(client, run)[0][0] == "look"


def test_another_roll_stands_in_the_way_until_the_run_goes_on_it(client: httpx.Client, shop: Shop, run: int) -> None:
    document = client.get(f"/api/runs/{run}").json()["document"]
    other = another_roll(client, document["stock_id"])
    scan(client, run, roll_code(label(shop, other)) or "").raise_for_status()  # typed: its six letters
    ((state, words, offered),) = lying(client, run)
    assert state == "stop" and "this run is on" in words and offered == other
    edit = {
        "revision": client.get(f"/api/runs/{run}").json()["revision"],
        "words": "roll",
        "changes": {"roll_id": other},
    }
    client.post(f"/api/runs/{run}/edits", json=edit).raise_for_status()
    assert [one[0] for one in lying(client, run)] == ["good"]


def test_a_roll_of_another_stock_is_no_remedy(client: httpx.Client, shop: Shop, run: int) -> None:
    stock = client.post("/api/shelf/stock", json={"name": "Kraft"}).json()["id"]
    scan(client, run, label(shop, another_roll(client, stock))).raise_for_status()
    ((state, _, offered),) = lying(client, run)
    assert state == "stop" and offered is None


@pytest.mark.parametrize("said", ["ROLL7KQ2XHZ", "K7Q2R9H4", "", "x" * 61, "\x00"])
def test_what_is_no_label_is_refused_in_a_sentence(client: httpx.Client, run: int, said: str) -> None:
    refused = scan(client, run, said)
    assert refused.status_code in (404, 422) and len(refused.json()["title"]) > 10
    assert lying(client, run)[0][0] == "look"


def test_a_roll_that_is_taken_off_the_shelf_lies_nowhere(client: httpx.Client, shop: Shop, run: int) -> None:
    stock = client.get(f"/api/runs/{run}").json()["document"]["stock_id"]
    other = another_roll(client, stock)
    scan(client, run, label(shop, other)).raise_for_status()
    page = client.get(f"/api/shelf/roll/{other}/label")
    assert page.headers["content-type"] == "application/pdf" and page.content.startswith(b"%PDF")
    client.delete(f"/api/shelf/roll/{other}").raise_for_status()
    assert lying(client, run)[0][0] == "look" and client.get(f"/api/shelf/roll/{other}/label").status_code == 404


def test_every_roll_has_a_code_of_its_own(client: httpx.Client, shop: Shop, run: int) -> None:
    """A duplicate, too."""
    stock = client.get(f"/api/runs/{run}").json()["document"]["stock_id"]
    first = another_roll(client, stock)
    client.post("/api/shelf/roll", json={"like": first}).raise_for_status()
    codes = shop.database.within(lambda session: [one.code for one in session.query(Roll)])
    assert len(codes) == len(set(codes)) >= 3 and all(codes)
