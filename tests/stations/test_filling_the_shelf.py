"""An empty shop is filled by hand: things are added, copied, renamed, put away, taken away; machines are asked."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.devices import hpgl_cutter
from etiquette.devices.contracts import Identity
from etiquette.stations import run_edits
from etiquette.stations.ledger import book
from etiquette.stations.machines import PrinterHere, printer_here
from etiquette.stations.shop import Shop
from etiquette.store.models import Printer, Run
from tests.signed_in import signed_in
from tests.strangers import SlowPlotter, eve_printer, free_port


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    with signed_in(shop) as made:
        yield made


def added(client: httpx.Client, kind: str, **asked: Any) -> dict[str, Any]:
    answer = client.post(f"/api/shelf/{kind}", json=asked)
    assert answer.status_code == 200, answer.json()
    told = answer.json()
    return dict(next(row for row in told["shelf"][kind] if row["id"] == told["id"]))


def changed(client: httpx.Client, kind: str, row: dict[str, Any], **changes: Any) -> httpx.Response:
    version = next(one for one in client.get("/api/shelf").json()[kind] if one["id"] == row["id"])["version"]
    return client.post(f"/api/shelf/{kind}/{row['id']}", json={"version": version, "changes": changes})


def filled(client: httpx.Client) -> dict[str, dict[str, Any]]:
    """What a run needs, in the order in which a new user would put it there."""
    made = {kind: added(client, kind) for kind in ("printer", "cutter", "stock", "roll", "mark_set", "print_mode")}
    return {**made, "laminator": added(client, "laminator")}


def test_an_empty_shop_is_filled_and_then_a_run_can_be_planned(client: httpx.Client, shop: Shop) -> None:
    assert all(not rows for kind, rows in client.get("/api/shelf").json().items() if kind != "mark_presets")
    refused = client.post("/api/shelf/roll", json={})
    assert refused.status_code == 422 and refused.json()["title"] == "There is no stock yet."
    made = filled(client)
    assert [made[kind]["name"] for kind in ("printer", "cutter", "stock", "roll")] == [
        "Printer",
        "Cutter",
        "Stock",
        "Stock, roll",
    ]
    shelf = client.get("/api/shelf").json()
    assert {card["kind"] for card in shelf["tool_card"]} == {"kiss", "through", "perforation", "crease", "score", "pen"}
    run = shop.database.within(lambda session: run_edits.create(session, "First", []))
    document = shop.database.within(lambda session: session.get_one(Run, run).document)
    assert (document.printer_id, document.cutter_id, document.stock_id, document.print_mode_id) == (1, 1, 1, 1)


def test_a_new_stock_takes_cards_and_modes_from_the_one_most_like_it(client: httpx.Client) -> None:
    """White 760 and clear 990 are there; one of 1,000 is white at first: like the white one, not the nearest."""
    filled(client)
    white = client.get("/api/shelf").json()["stock"][0]
    changed(client, "stock", white, name="White 760", width_mm=760)
    clear = added(client, "stock", name="Clear 990")
    changed(client, "stock", clear, width_mm=990, ground="clear")
    card = next(
        one
        for one in client.get("/api/shelf").json()["tool_card"]
        if one["stock_id"] == white["id"] and one["kind"] == "kiss"
    )
    changed(client, "tool_card", card, force_gf=83)
    changed(client, "print_mode", client.get("/api/shelf").json()["print_mode"][0], passes=5)
    new = added(client, "stock", name="White 1000")
    shelf = client.get("/api/shelf").json()
    forces = {one["stock_id"]: one["force_gf"] for one in shelf["tool_card"] if one["kind"] == "kiss"}
    assert forces[new["id"]] == 83 and forces[clear["id"]] != 83
    (mode,) = [one for one in shelf["print_mode"] if one["stock_id"] == new["id"]]
    assert mode["passes"] == 5 and mode["name"].startswith("White 1000, ")


def test_things_are_duplicated_renamed_and_names_stay_their_own(client: httpx.Client) -> None:
    made = filled(client)
    changed(client, "printer", made["printer"], address="folder:/srv/jobs", print_width_mm=1600)
    second = added(client, "printer", like=made["printer"]["id"])
    assert second["name"] == "Printer 2" and second["print_width_mm"] == 1600
    assert second["address"] == ""  # two printers never stand at one address by copying
    assert changed(client, "printer", second, name="East").status_code == 200
    refused = changed(client, "printer", made["printer"], name="East")
    assert refused.status_code == 422 and refused.json()["title"] == "Something is called East already."
    assert client.post("/api/shelf/printer", json={"name": "East"}).status_code == 422
    assert added(client, "mark_set", preset=client.get("/api/shelf").json()["mark_presets"][1])["size_mm"] > 0
    assert client.post("/api/shelf/mark_set", json={"preset": "none such"}).status_code == 422
    assert client.post("/api/shelf/tool_card", json={}).status_code == 422
    assert client.post("/api/shelf/teapot", json={}).status_code == 404


def test_what_is_used_is_put_away_and_what_is_not_goes_with_what_hangs_on_it(client: httpx.Client, shop: Shop) -> None:
    made = filled(client)
    shop.database.within(lambda session: run_edits.create(session, "Kite club", []))
    for kind in ("stock", "printer", "cutter", "roll", "mark_set", "print_mode", "laminator"):
        refused = client.delete(f"/api/shelf/{kind}/{made[kind]['id']}")
        assert refused.status_code == 422 and "still used: the run Kite club" in refused.json()["title"], refused.json()
    other = added(client, "stock", name="Other")
    roll = added(client, "roll", stock_id=other["id"])
    shop.database.within(lambda session: book(session, roll["id"], 500.0, "spoiled", "hand"))
    assert "1 entries of its ledger" in client.delete(f"/api/shelf/stock/{other['id']}").json()["title"]
    assert changed(client, "stock", made["stock"], away=True).status_code == 200
    again = shop.database.within(lambda session: run_edits.create(session, "Later", []))
    assert shop.database.within(lambda session: session.get_one(Run, again).document.stock_id) == other["id"]
    third = added(client, "stock", name="Third")
    added(client, "roll", stock_id=third["id"])
    left = client.delete(f"/api/shelf/stock/{third['id']}").json()
    assert all(row["stock_id"] != third["id"] for kind in ("roll", "tool_card", "print_mode") for row in left[kind])
    assert client.delete("/api/shelf/stock/99").status_code == 404


def test_an_address_is_checked_when_it_is_typed(client: httpx.Client) -> None:
    made = filled(client)
    for kind, name, address in (
        ("printer", "address", "http://10.0.0.7"),
        ("cutter", "address", "10.0.0.7"),
        ("cutter", "eye", "usb:/dev/eye"),
    ):
        refused = changed(client, kind, made[kind], **{name: address})
        assert refused.status_code == 422 and refused.json()["do"].startswith("Write it like"), refused.json()
    assert changed(client, "cutter", made["cutter"], address=" serial:/dev/ttyUSB0?baud=9600 ").status_code == 200
    assert client.get("/api/shelf").json()["cutter"][0]["address"] == "serial:/dev/ttyUSB0?baud=9600"


def test_machines_that_nobody_here_wrote_are_asked_who_they_are(
    client: httpx.Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(hpgl_cutter, "ASK_SECONDS", 0.2)  # for what this plotter does not understand
    made = filled(client)
    ask = f"/api/shelf/printer/{made['printer']['id']}/ask"
    assert "has no address yet" in client.post(ask).json()["title"]
    changed(client, "printer", made["printer"], address=f"ipp://127.0.0.1:{free_port()}/ipp/print")
    assert "is not listening" in client.post(ask).json()["title"]
    with eve_printer(tmp_path) as stranger:
        changed(client, "printer", made["printer"], address=stranger.uri)
        who = client.post(ask).json()
        assert who["state"] == "ready" and [one["width_mm"] for one in who["loaded"]] == [215.9, 104.77]
        assert client.get("/api/shelf").json()["printer"][0]["machine"] == who["id"] != ""
    with SlowPlotter() as plotter:
        changed(client, "cutter", made["cutter"], address=f"serial:{plotter.path}?flow=none")
        who = client.post(f"/api/shelf/cutter/{made['cutter']['id']}/ask").json()
        assert "OA" in who["understands"] and client.get("/api/shelf").json()["cutter"][0]["confirm"] == "oa"
        assert not any(move in plotter.received for move in (b"PU", b"PD", b"PA"))
    assert client.post("/api/shelf/laminator/1/ask").status_code in (404, 422)


def test_a_printer_with_another_certificate_is_refused_until_it_is_asked_again(
    client: httpx.Client, shop: Shop, tmp_path: Path
) -> None:
    made = filled(client)
    ask = f"/api/shelf/printer/{made['printer']['id']}/ask"

    def printer() -> PrinterHere:
        return shop.database.within(lambda session: printer_here(session.query(Printer).one()))

    with eve_printer(tmp_path) as stranger:
        changed(client, "printer", made["printer"], address=stranger.uri.replace("ipp:", "ipps:"))
        assert printer().certificate == "" and client.post(ask).status_code == 200
        first = printer().certificate
        assert len(first) == 64 and printer().driver().status().state == "ready"
        stranger.stop()
        for one in (tmp_path / "keys").iterdir():
            one.unlink()
        stranger.start()
        with pytest.raises(JobError, match="another certificate") as refused:
            printer().driver().status()
        assert "ask on the Shelf again" in refused.value.do
        assert client.post(ask).status_code == 200
        assert printer().certificate not in ("", first) and printer().driver().status().state == "ready"


def test_a_print_remembers_whom_it_went_to_and_refuses_another_machine(client: httpx.Client, shop: Shop) -> None:
    filled(client)

    def know(who: Identity) -> PrinterHere:
        def step(session: Session) -> PrinterHere:
            printer_here(session.query(Printer).one()).recognise(session, who)
            return printer_here(session.query(Printer).one())

        return shop.database.within(step)

    assert know(Identity("printer", id="")).known == ""  # one without a name of its own is anybody
    first = know(Identity("printer", id="urn:uuid:one", certificate="ab"))
    assert (first.known, first.certificate) == ("urn:uuid:one", "ab")
    with pytest.raises(JobError, match="Another machine than before"):
        know(Identity("printer", id="urn:uuid:two", certificate="ab"))
    assert know(Identity("printer", id="urn:uuid:one", certificate="ab")) == first
