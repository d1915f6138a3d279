"""What was set of one design, for the others of its job that nobody has looked at yet."""

from collections.abc import Iterator
from io import BytesIO
from typing import Any

import httpx
import pytest
from PIL import Image

from etiquette.stations.lines import alike
from etiquette.stations.shop import Shop
from etiquette.store.models import Design
from tests.signed_in import signed_in
from tests.stations.shop_floor import fill_shelf


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    shop.database.within(fill_shelf)
    with signed_in(shop) as made:
        yield made


def picture(shade: int) -> bytes:
    """Of no size that is known, 2 : 1."""
    out = BytesIO()
    Image.new("RGB", (200, 100), (shade, 40, 90)).save(out, "PNG")
    return out.getvalue()


def job_of_four(client: httpx.Client) -> list[int]:
    made: list[int] = []
    job = None
    for number in range(4):
        data = {"job_id": str(job)} if job else {}
        answer = client.post("/api/designs", files={"file": (f"{number}.png", picture(50 * number))}, data=data).json()
        made, job = [*made, *answer["ids"]], answer["job_id"]
    return made


def held(client: httpx.Client, design: int) -> dict[str, Any]:
    return dict(client.get(f"/api/designs/{design}").json())


def edited(client: httpx.Client, design: int, **changes: Any) -> None:
    asked = {"revision": held(client, design)["revision"], "words": "test", "changes": changes}
    client.post(f"/api/designs/{design}/edits", json=asked).raise_for_status()


def given(client: httpx.Client, design: int, *keys: str) -> httpx.Response:
    return client.post(f"/api/designs/{design}/alike", json={"keys": keys})


def test_what_was_set_once_is_given_to_those_that_nobody_has_looked_at(client: httpx.Client) -> None:
    first, second, ready, last = job_of_four(client)
    (elsewhere,) = client.post("/api/designs", files={"file": ("other.png", picture(9))}).json()["ids"]
    edited(client, ready, width_mm=70.0, ready=True)
    edited(client, second, offset_mm=4.0)
    edited(client, first, width_mm=50.0, due_count=25, offset_mm=1.5)
    edited(client, first, bleed_mm=2.0)
    client.post(f"/api/designs/{first}/undo", json={"revision": held(client, first)["revision"]}).raise_for_status()
    shown = client.get(f"/api/designs/{first}/alike").json()
    assert shown == {
        "waiting": 2,
        "settings": [
            {"key": "due_count", "label": "Pieces due", "words": "25", "mm": None, "others": 2, "chosen": True},
            {"key": "width_mm", "label": "Width", "words": "50 mm", "mm": 50.0, "others": 2, "chosen": True},
            {"key": "offset_mm", "label": "Offset", "words": "1.5 mm", "mm": 1.5, "others": 2, "chosen": True},
        ],
    }
    assert given(client, first, "width_mm", "due_count").json() == {"changed": 2}
    for design in (second, last):
        now = held(client, design)["document"]
        assert (now["width_mm"], now["due_count"]) == (50.0, 25) and held(client, design)["height_mm"] == 25.0
    # what was not chosen, what is ready and what belongs to another job stay as they were
    assert [held(client, design)["document"]["offset_mm"] for design in (second, last)] == [4.0, 2.0]
    assert held(client, ready)["document"]["width_mm"] == 70.0 and held(client, ready)["document"]["ready"]
    assert held(client, elsewhere)["document"]["width_mm"] is None
    assert held(client, last)["undo"] == "as 0"
    client.post(f"/api/designs/{last}/undo", json={"revision": held(client, last)["revision"]}).raise_for_status()
    assert held(client, last)["document"]["width_mm"] is None
    assert given(client, first, "width_mm", "due_count").json() == {"changed": 1}  # the one that lacks it


def test_a_setting_that_only_others_have_otherwise_is_shown_and_not_chosen(client: httpx.Client) -> None:
    first, second, *_ = job_of_four(client)
    edited(client, second, offset_mm=4.0)
    (setting,) = client.get(f"/api/designs/{first}/alike").json()["settings"]
    assert setting["key"] == "offset_mm" and setting["others"] == 1 and not setting["chosen"]


@pytest.mark.parametrize("key", ["second_surface", "width_mm", "name", "art_id", "nothing"])
def test_what_is_about_one_piece_of_art_is_given_to_none(client: httpx.Client, key: str) -> None:
    first, second, *_ = job_of_four(client)
    before = held(client, second)
    refused = given(client, first, key)
    assert refused.status_code == 422 and key in refused.json()["title"]
    assert held(client, second) == before


def test_many_are_changed_in_small_steps(shop: Shop, client: httpx.Client, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever edits one of them meanwhile waits for few others."""
    monkeypatch.setattr(alike, "AT_ONCE", 2)
    first, *others = job_of_four(client)

    def more(session: Any) -> None:
        document = session.get_one(Design, first).document
        session.add_all(Design(job_id=1, document=document.with_(name=f"More {number}")) for number in range(3))

    shop.database.within(more)
    edited(client, first, width_mm=30.0)
    assert given(client, first, "width_mm").json() == {"changed": 6}
    assert all(held(client, design)["document"]["width_mm"] == 30.0 for design in others)


def test_one_that_somebody_has_looked_at_meanwhile_stays_as_it_is(
    client: httpx.Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    first, second, *_ = job_of_four(client)
    edited(client, first, width_mm=30.0)
    listed = alike._others

    def looked_at_after(*asked: Any) -> Any:
        found = listed(*asked)
        edited(client, second, width_mm=80.0, ready=True)
        return found

    monkeypatch.setattr(alike, "_others", looked_at_after)
    assert given(client, first, "width_mm").json() == {"changed": 2}
    now = held(client, second)["document"]
    assert now["ready"] and now["width_mm"] == 80.0
