"""The Shelf goes out as a file and comes in again: in another shop, and in the one that has moved on."""

import json
from collections.abc import Iterator
from functools import partial
from typing import Any

import httpx
import pytest
from jsonschema_rs import Draft202012Validator

from etiquette.demo.load import _shelf, _tools
from etiquette.files.schemas import schema_text
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Printer
from tests.signed_in import signed_in
from tests.stations.shop_floor import emptied


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    with signed_in(shop) as made:
        yield made


@pytest.fixture
def saved(shop: Shop, client: httpx.Client) -> str:
    """The file of a shop of four stocks and five machines, which then is empty."""
    shop.database.within(partial(_shelf, shop))
    shop.database.within(_tools)

    def set_up(session: Any) -> None:
        cutter, printer = session.query(Cutter).filter_by(printer_id=None).one(), session.query(Printer).one()
        cutter.address, printer.address = "serial:/dev/ttyUSB0?baud=9600", "ipp://10.0.0.7/ipp/print"
        printer.machine, printer.certificate = "urn:uuid:1", "f" * 64
        printer.simulated = True

    shop.database.within(set_up)
    answer = client.get("/api/shelf/file")
    assert "SHELF.json" in answer.headers["content-disposition"]
    shop.database.within(emptied)
    return answer.text


def compared(client: httpx.Client, text: str) -> list[dict[str, str]]:
    answer = client.post("/api/shelf/file/compare", json={"name": "SHELF.json", "text": text})
    assert answer.status_code == 200, answer.json()
    return list(answer.json())


def take(client: httpx.Client, text: str, chosen: list[dict[str, str]]) -> httpx.Response:
    wanted = [{"kind": one["kind"], "name": one["name"]} for one in chosen]
    return client.post("/api/shelf/file/take", json={"name": "SHELF.json", "text": text, "chosen": wanted})


def test_a_shop_is_the_same_after_a_new_installation(client: httpx.Client, saved: str) -> None:
    things = compared(client, saved)
    assert {one["state"] for one in things} == {"new"}
    assert take(client, saved, things).json() == {"added": len(things), "changed": 0}
    assert client.get("/api/shelf/file").text == saved
    assert {one["state"] for one in compared(client, saved)} == {"same"}


def test_the_file_is_as_its_published_schema_says(saved: str) -> None:
    """Read by jsonschema-rs, which knows nothing of the models it was made from."""
    Draft202012Validator(json.loads(schema_text("SHELF"))).validate(json.loads(saved))


def test_what_makes_a_machine_that_machine_stays_at_home(client: httpx.Client, saved: str) -> None:
    assert "urn:uuid" not in saved and "ffffffff" not in saved and "simulated" not in saved
    take(client, saved, compared(client, saved))
    (printer,) = client.get("/api/shelf").json()["printer"]
    assert (printer["address"], printer["machine"], printer["simulated"]) == ("ipp://10.0.0.7/ipp/print", "", False)


def test_what_differs_is_named_and_taken_only_when_chosen(client: httpx.Client, saved: str) -> None:
    take(client, saved, compared(client, saved))
    row = next(one for one in client.get("/api/shelf").json()["stock"] if one["name"] == "Clear vinyl 1000")
    changes = {"version": row["version"], "changes": {"price_m2": "7.25", "takes_film": False}}
    client.post(f"/api/shelf/stock/{row['id']}", json=changes).raise_for_status()
    (other,) = [one for one in compared(client, saved) if one["state"] != "same"]
    assert other["name"] == "Clear vinyl 1000" and other["state"] == "differs"
    assert "price a m² 6.1, here 7.25" in other["words"] and "takes film yes, here no" in other["words"]
    assert take(client, saved, []).json() == {"added": 0, "changed": 0}
    assert take(client, saved, [other]).json() == {"added": 0, "changed": 1}
    assert {one["state"] for one in compared(client, saved)} == {"same"}


def test_a_part_that_needs_what_is_not_there_changes_nothing(client: httpx.Client, saved: str) -> None:
    before = client.get("/api/shelf").json()
    things = [one for one in compared(client, saved) if one["kind"] in ("mark_set", "roll")]
    refused = take(client, saved, things)
    assert 400 <= refused.status_code < 500
    assert "belongs to the stock Gloss white vinyl 760, which is neither here nor chosen" in refused.text
    assert client.get("/api/shelf").json() == before  # not even the mark sets, which came first


def test_a_cutter_that_comes_in_gets_cards_for_the_stocks_that_are_there(client: httpx.Client, saved: str) -> None:
    client.post("/api/shelf/stock", json={"name": "Felt 900"}).raise_for_status()
    cutters = [one for one in compared(client, saved) if one["kind"] == "cutter"]
    assert "belongs to the printer Printer east" in take(client, saved, cutters).text  # a knife needs its printer
    assert take(client, saved, cutters[:1]).json()["added"] == 1
    kinds = {card["kind"] for card in client.get("/api/shelf").json()["tool_card"]}
    assert kinds == {"kiss", "through", "perforation", "crease", "score", "pen"}


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda file: file.update(version=2), "version"),
        (lambda file: file["stock"][0].update(width_mm=-3), "stock.0.width_mm"),
        (lambda file: file["stock"].append(file["stock"][0]), "Two things in the file are the stock"),
        (lambda file: file["printer"][0].update(address="ftp://10.0.0.7"), "is no address of a printer"),
        (lambda file: file.update(tools=[]), "tools"),
    ],
)  # fmt: skip
def test_a_file_that_is_not_right_is_refused_with_its_place(
    client: httpx.Client, saved: str, change: Any, words: str
) -> None:
    file = json.loads(saved)
    change(file)
    text = json.dumps(file)
    chosen = [{"kind": "printer", "name": "Printer east"}]
    answer = take(client, text, chosen)
    assert 400 <= answer.status_code < 500 and words in answer.text, answer.text
    assert client.get("/api/shelf").json()["printer"] == []


def test_what_is_no_json_is_refused_in_a_sentence(client: httpx.Client) -> None:
    answer = client.post("/api/shelf/file/compare", json={"name": "holiday.jpg", "text": "\ufffdPNG"})
    assert 400 <= answer.status_code < 500 and "holiday.jpg is not as it should be" in answer.text


def test_printers_names_of_a_stock_go_out_by_name_and_come_in_by_number(
    client: httpx.Client, shop: Shop, saved: str
) -> None:
    file = json.loads(saved)
    file["stock"][0]["names"] = {"Printer east": "media-7", "Printer of another shop": "roll-1"}
    text = json.dumps(file)
    for name in ("In between", "Another"):  # so that numbers are other ones than at home
        client.post("/api/shelf/printer", json={"name": name}).raise_for_status()
    take(client, text, compared(client, text))
    shelf = client.get("/api/shelf").json()
    east = next(one["id"] for one in shelf["printer"] if one["name"] == "Printer east")
    assert east == 3 and shelf["stock"][0]["names"] == {str(east): "media-7"}
    out = client.get("/api/shelf/file").json()
    assert out["stock"][0]["names"] == {"Printer east": "media-7"}


def test_a_roll_from_a_file_begins_a_ledger_and_a_changed_one_goes_on_with_it(client: httpx.Client, saved: str) -> None:
    take(client, saved, compared(client, saved))
    roll = client.get("/api/shelf").json()["roll"][0]
    file = json.loads(saved)
    file["roll"][0].update(remaining_mm=roll["remaining_mm"] - 1500, lot="L-4")
    text = json.dumps(file)
    (other,) = [one for one in compared(client, text) if one["state"] == "differs"]
    take(client, text, [other])
    ledger = client.get(f"/api/shelf/roll/{roll['id']}/ledger").json()
    assert [(one["length_mm"], one["reason"]) for one in ledger] == [
        (-1500, "as in SHELF.json"), (roll["remaining_mm"], "put on the shelf"),
    ]  # fmt: skip
    assert client.get("/api/shelf").json()["roll"][0]["lot"] == "L-4"


def test_a_roll_keeps_the_code_on_its_label(client: httpx.Client, saved: str) -> None:
    """Labels are on the cores: after a new installation they still name their rolls. (A shop that is the same again
    has the codes too: the first test here.)"""
    file = json.loads(saved)
    codes = [roll["code"] for roll in file["roll"]]
    assert len(set(codes)) == len(codes) == 4 and all(len(code) == 6 for code in codes)
    take(client, saved, compared(client, saved))
    # a file of a former version says nothing of codes: nothing differs, and they stay
    older = json.loads(saved)
    for roll in older["roll"]:
        del roll["code"]
    assert {one["state"] for one in compared(client, json.dumps(older))} == {"same"}
    # a code that another roll here has on its label is not given away
    file["roll"][0]["code"], file["roll"][1]["code"] = codes[1], codes[0]
    text = json.dumps(file)
    take(client, text, [one for one in compared(client, text) if one["state"] == "differs"])
    assert [roll["code"] for roll in json.loads(client.get("/api/shelf/file").text)["roll"]] == codes
    file["roll"][0].update(code=codes[1], name="Felt, roll B")
    text = json.dumps(file)
    take(client, text, [one for one in compared(client, text) if one["state"] == "new"])
    now = [roll["code"] for roll in json.loads(client.get("/api/shelf/file").text)["roll"]]
    assert now[:4] == codes and now[4] not in codes


def test_a_part_of_the_shelf_is_a_file_of_its_own(client: httpx.Client, saved: str) -> None:
    take(client, saved, compared(client, saved))
    part = client.get("/api/shelf/file?kinds=mark_set&kinds=ink_colour").json()
    assert len(part["mark_set"]) == 3 and len(part["ink_colour"]) == 1
    assert all(part[kind] == [] for kind in ("stock", "roll", "printer", "cutter", "tool_card"))
    assert client.get("/api/shelf/file?kinds=people").status_code == 422


def test_finishers_and_dies_come_along(client: httpx.Client) -> None:
    """Out of a Shelf, taken off it, and in again: the same, open ranges and absent rules too."""
    rules = {"width_mm": [2, 4], "height_mm": [2], "right_free_mm": 5, "longest_repeat_mm": 300}
    client.post("/api/webs/finishers", json={"name": "Finisher west", "rules": rules})
    made = client.post("/api/shelf/die", json={"name": "Oval, six up"}).json()
    change = {"version": 1, "changes": {"columns": 2, "rows": 3, "gap_along_mm": 3.5}}
    assert client.post(f"/api/shelf/die/{made['id']}", json=change).status_code == 200
    saved = client.get("/api/shelf/file?kinds=finisher&kinds=die").text
    asked = client.get("/api/webs/finishers").json()[0]["rules"]
    for kind in ("finisher", "die"):
        (row,) = client.get("/api/shelf").json()[kind]
        assert client.delete(f"/api/shelf/{kind}/{row['id']}").status_code == 200
    assert take(client, saved, compared(client, saved)).json() == {"added": 2, "changed": 0}
    assert client.get("/api/webs/finishers").json()[0]["rules"] == asked
    assert asked["height_mm"] == [2.0] and asked["left_mm"] is None
    figures = client.get("/api/webs/dies").json()[0]["figures"]
    assert (figures["columns"], figures["rows"], figures["gap_along_mm"]) == (2, 3, 3.5)
    assert {one["state"] for one in compared(client, saved)} == {"same"}


def test_what_is_chosen_has_to_be_in_the_file(client: httpx.Client, saved: str) -> None:
    refused = take(client, saved, [{"kind": "stock", "name": "Velvet"}])
    assert refused.status_code == 422 and refused.json()["title"] == "There is no stock Velvet in the file."
