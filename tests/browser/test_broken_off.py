"""A cut that is broken off asks what became of it, and a key that is held down cuts once (“Firm ground”, 4 and 5)."""

import json
import socket

from playwright.sync_api import Page, expect

from tests.browser.test_run import new_run
from tests.browser.test_worn_bench import Api
from tests.conftest import RunningEtiquette


def the_power_goes(running: RunningEtiquette, after: int) -> None:
    devices = json.loads((running.data / "room.json").read_text())
    port = next(one["port"] for one in devices if one["kind"] == "cutter")
    with socket.create_connection(("127.0.0.1", port)) as line:
        line.sendall(json.dumps({"ask": "fault", "kind": "power", "after": after}).encode() + b"\n")
        assert line.recv(100)


def test_what_was_under_the_knife_is_asked_and_a_held_key_cuts_once(page_on: Page, running: RunningEtiquette) -> None:
    api = Api(running)
    run = new_run(running, "Broken off", {"Spark decal": 12})
    api.done("PUT", f"/runs/{run}/nest")
    sheet = api.filmed(run)
    path = f"/bench/{sheet['id']}"
    api.ask("POST", f"/room/sheets/{sheet['id']}/lay", json={"end": "head"})
    api.done("POST", f"{path}/read", json={"by": "head"})
    api.put_in("45° blade")
    the_power_goes(running, 9)
    page_on.goto(f"{running.url}{path}")
    page_on.get_by_role("button", name="Cut frame 1").wait_for()
    page_on.keyboard.press("Enter")
    doubt = page_on.get_by_role("region", name="In doubt")
    expect(doubt).to_contain_text("lines are cut for certain")
    shown = api.ask("GET", path)
    certain = 12 - shown["left"]
    # nine were cut: those it has answered after are certain, the others are in doubt, and nothing else is
    assert certain <= 9 <= certain + shown["doubtful"] and 1 <= shown["doubtful"] <= 4
    expect(doubt).to_contain_text(f"{certain} lines are cut for certain, {shown['doubtful']} w")
    expect(page_on.get_by_role("button", name="Go on with the rest")).to_have_count(0)
    page_on.keyboard.press("Enter")  # nothing to confirm: a key that moves a machine answers no question
    assert api.ask("GET", path)["doubtful"] == shown["doubtful"]
    doubt.get_by_role("button", name="They are not: cut them again").click()
    expect(doubt).to_have_count(0)
    page_on.get_by_role("button", name="Lay head first").click()
    page_on.get_by_role("button", name="Read marks M").last.click()
    page_on.get_by_role("button", name="Go on with the rest").wait_for()
    for _ in range(5):
        page_on.keyboard.down("Enter")  # held: the browser repeats it
    page_on.keyboard.up("Enter")
    expect(page_on.get_by_role("status", name="Cut")).to_be_visible()
    expect(page_on.get_by_text("is busy")).to_have_count(0)
    said = [entry["words"] for entry in api.ask("GET", "/bench/log") if sheet["name"] in entry["words"]]
    assert sum("is cut" in words for words in said) == 1
