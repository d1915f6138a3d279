"""Who may talk to the server, what it says when something is wrong, and streams that resume."""

import sys
from collections.abc import Iterator
from pathlib import Path

import httpx
import numpy as np
import pytest

from etiquette.core.geometry.paths import path_length
from etiquette.demo.art import art_file
from etiquette.files.lines_svg import _paths
from etiquette.server.children import MOST_LOG_BYTES, Child, rotate
from etiquette.stations.lines import taking_in
from etiquette.stations.shop import Shop
from etiquette.tasks.work import Worker
from tests.conftest import wait_until
from tests.signed_in import signed_in


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:

    with signed_in(shop) as made:
        yield made


@pytest.fixture
def design(shop: Shop) -> int:
    name, content = art_file("spark")
    return taking_in.take_in(shop, content, name, None)[0]


def test_other_hosts_and_other_origins_are_turned_away(client: httpx.Client) -> None:
    assert client.get("/api/floor").status_code == 200
    assert client.get("/api/floor", headers={"Host": "evil.example"}).status_code == 403
    assert client.get("/api/floor", headers={"Host": "127.0.0.1.evil.example:8700"}).status_code == 403
    for origin in ("http://evil.example", "null", "http://127.0.0.1:9999", "http://localhost:8700"):
        refused = client.post("/api/runs", json={"name": "x", "items": []}, headers={"Origin": origin})
        assert refused.status_code == 403, origin
        assert refused.headers["content-type"] == "application/problem+json"
    assert client.get("/api/floor", headers={"Origin": "http://127.0.0.1:8700"}).status_code == 200


def test_every_answer_carries_the_guards(client: httpx.Client) -> None:
    for answer in (
        client.get("/api/floor"),
        client.get("/api/floor", headers={"Host": "x"}),
        client.get("/api/designs/99"),
    ):
        policy = answer.headers["content-security-policy"]
        assert "default-src 'self'" in policy and "unsafe-eval" not in policy and "script-src 'self';" in policy
        assert answer.headers["x-content-type-options"] == "nosniff"


def test_a_stale_edit_is_a_conflict_with_the_current_revision(client: httpx.Client, design: int) -> None:
    edit = {"revision": 1, "words": "offset", "changes": {"offset_mm": 3.0}}
    assert client.post(f"/api/designs/{design}/edits", json=edit).json()["revision"] == 2
    refused = client.post(f"/api/designs/{design}/edits", json=edit)
    assert refused.status_code == 409
    assert refused.json()["revision"] == 2 and "changed elsewhere" in refused.json()["title"]


def test_a_preview_shows_what_a_change_would_give_and_keeps_nothing(client: httpx.Client, design: int) -> None:
    def length(changes: dict[str, object]) -> float:
        answer = client.post(f"/api/designs/{design}/lines/preview", json={"changes": changes})
        assert answer.status_code == 200, answer.json()
        return sum(
            float(path_length(path)) for line in answer.json()["lines"] for path in _paths(line["d"], "the preview")
        )

    near, far = length({"offset_mm": 1.0}), length({"offset_mm": 3.0})
    # an offset line round one island grows by 2π for each millimetre (Steiner), a little less over notches
    assert 0.5 * 4 * np.pi < far - near < 4 * np.pi * 1.05
    shown = client.get(f"/api/designs/{design}").json()
    assert shown["revision"] == 1 and shown["lines"] is None
    answer = client.post(f"/api/designs/{design}/lines/preview", json={"changes": {"offset_mm": -40}})
    assert answer.status_code == 422 and "Nothing is left" in answer.json()["title"]
    answer = client.post(f"/api/designs/{design}/lines/preview", json={"changes": {"offset_mm": "wide"}})
    assert answer.status_code == 422


def test_values_out_of_range_are_a_sentence(client: httpx.Client, design: int) -> None:
    answer = client.post(
        f"/api/designs/{design}/edits", json={"revision": 1, "words": "x", "changes": {"offset_mm": 500}}
    )
    assert answer.status_code == 422 and answer.json()["title"] == "Offset mm: it cannot be more than 100."
    answer = client.get("/api/length", params={"text": "twelve"})
    assert answer.status_code == 422 and "not a length" in answer.json()["title"]
    assert client.get("/api/length", params={"text": '3 1/2"'}).json() == {"mm": 88.9}


def test_bad_uploads_are_sentences_and_keep_nothing(client: httpx.Client) -> None:
    for content, words in (
        (b"", "empty"),
        (b"%PDF-1.7", "damaged"),
        (b"GIF89a", "not a picture"),
        (art_file("spark")[1][:400], "damaged"),
    ):
        answer = client.post("/api/designs", files={"file": ("art.png", content)})
        assert answer.status_code == 422 and words in answer.json()["title"]
    assert client.get("/api/designs").json() == []


def test_the_server_goes_on_after_hostile_files(client: httpx.Client) -> None:
    from tests.hostile import dxfs, pdfs, svgs

    wanted = {"form of itself.pdf", "entity bomb.svg", "uses of each other.svg", "binary.dxf", "unit of a billion.pdf"}
    files = {name: content for name, content in [*pdfs(), *svgs(), *dxfs()] if name in wanted}
    assert set(files) == wanted
    for name, content in files.items():
        answer = client.post("/api/designs", files={"file": (name, content)})
        assert answer.status_code == 422 and answer.json()["title"].endswith("."), name
    assert client.get("/api/designs").json() == []
    name, content = art_file("spark")
    assert client.post("/api/designs", files={"file": (name, content)}).status_code == 200
    assert len(client.get("/api/designs").json()) == 1


def test_what_is_not_there_is_404(client: httpx.Client) -> None:
    for path in ("/api/designs/9", "/api/runs/9", "/api/print/9", "/api/bench/9"):
        answer = client.get(path)
        assert answer.status_code == 404 and answer.json()["title"].startswith("There is no such"), path


def test_a_stream_resumes_after_the_last_event_seen(client: httpx.Client, shop: Shop, design: int) -> None:
    task = client.put(f"/api/designs/{design}/lines").json()["task_id"]
    Worker(shop.database, shop).run_one()

    def ids(**headers: str) -> list[int]:
        text = client.get(f"/api/tasks/{task}/events", headers=headers).text
        assert text.count("event: end") == 1
        return [int(line[4:]) for line in text.splitlines() if line.startswith("id: ")][:-1]

    whole = ids()
    assert len(whole) >= 2 and whole == sorted(set(whole))
    assert ids(**{"Last-Event-ID": str(whole[0])}) == whole[1:]
    assert client.get(f"/api/designs/{design}").json()["lines"]


def test_a_child_is_started_again_with_a_pause(tmp_path: Path) -> None:
    """A crashed child comes back; a child that keeps falling waits longer each time."""
    lives = tmp_path / "lives"
    program = f"import time; open({str(lives)!r}, 'a').write('x'); time.sleep(600)"
    child = Child("sleeper", [sys.executable, "-c", program], tmp_path / "log")
    child.start()
    for life in ("x", "xx"):
        wait_until(lambda life=life: child.tend() or (lives.exists() and lives.read_text() == life))
        assert child.process is not None
        child.process.kill()
        child.process.wait()
    child.stop()


def test_a_log_that_grows_is_kept_once_more_and_begun_anew(tmp_path: Path) -> None:
    log = tmp_path / "web.log"
    log.write_bytes(b"old\n" * (MOST_LOG_BYTES // 4 + 1))
    with open(log, "ab") as writer:
        rotate(log)
        writer.write(b"new\n")
    assert log.read_bytes() == b"new\n"  # no hole in front of it
    assert (tmp_path / "web.log.1").stat().st_size > MOST_LOG_BYTES


@pytest.mark.parametrize("name", ["K7Q2R9-H.plt", "..%2Froom.json", "K7Q2R9-H.exe", "%2Fetc%2Fpasswd"])
def test_only_cut_files_that_were_written_are_given_out(client: httpx.Client, shop: Shop, name: str) -> None:
    shop.settings.data.joinpath("room.json").write_text("{}")
    answer = client.get(f"/api/bench/files/{name}")
    assert answer.status_code == 404 and "{}" not in answer.text


def test_a_mark_of_no_sheet_and_a_card_on_no_cutter_are_sentences(client: httpx.Client) -> None:
    for answer in (
        client.post("/api/bench/7/marks/m1/window", json={}),
        client.post("/api/bench/7/marks/m1", json={"x": 1, "y": 2}),
        client.post("/api/bench/7/files", json={"form": "plt"}),
    ):
        assert answer.status_code == 404 and answer.json()["title"] == "There is no such sheet."
    assert client.get("/api/room/cards/picture").status_code == 422
    assert client.post("/api/bench/7/read", json={"by": "telescope"}).status_code == 422
