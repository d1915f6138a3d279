"""kill -9 in the middle of an upload and of a nest; what was confirmed is there, nothing half-made is shown, and no
process is left behind."""

import os
import signal
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
import pytest

from etiquette.demo.art import art_file
from tests.conftest import RunningEtiquette, wait_until
from tests.wheel import installed


@pytest.fixture
def etiquette(tmp_path: Path) -> Iterator[RunningEtiquette]:
    """Installed from its wheel, as a stranger has it."""
    made = RunningEtiquette(tmp_path / "home" / "etiquette", installed(tmp_path))
    made.start()
    yield made
    made.end()


def everything(etiquette: RunningEtiquette) -> tuple[list[dict], list[dict]]:  # type: ignore[type-arg]
    designs = etiquette.get("/api/designs").json()
    return designs, etiquette.get("/api/runs").json()


def answers(etiquette: RunningEtiquette) -> bool:
    try:
        return etiquette.get("/api/floor").status_code == 200
    except httpx.HTTPError:
        return False


def test_kill_9_during_uploads_and_a_nest(etiquette: RunningEtiquette) -> None:
    content = art_file("spark")[1]
    confirmed: list[int] = []

    def upload(_: int) -> None:
        try:
            with etiquette.client() as client:
                answer = client.post("/api/designs", files={"file": ("spark.png", content)}, timeout=30)
        except httpx.HTTPError:
            return
        if answer.status_code == 200:
            confirmed.append(answer.json()["ids"][0])

    assert "<title>Etiquette</title>" in etiquette.get("/").text  # the built front came along
    run = everything(etiquette)[1][0]["id"]
    with etiquette.client() as client:  # nothing better is looked for: it would only be in the way
        revision = client.get(f"/api/runs/{run}").json()["revision"]
        asked = {"revision": revision, "words": "quick", "changes": {"improve_seconds": 0}}
        client.post(f"/api/runs/{run}/edits", json=asked).raise_for_status()
        before = client.get(f"/api/runs/{run}").json()
        client.put(f"/api/runs/{run}/nest")
    with ThreadPoolExecutor(4) as pool:
        uploads = [pool.submit(upload, number) for number in range(24)]
        wait_until(lambda: len(confirmed) >= 3)
        os.kill(etiquette.web_servers()[0], signal.SIGKILL)
        for one in uploads:
            one.result()
    # the supervisor starts the web server again by itself
    wait_until(lambda: answers(etiquette))
    _nothing_lost(etiquette, confirmed, run, before["revision"])

    # now everything at once, as when the power goes
    assert etiquette.process is not None
    etiquette.process.kill()
    etiquette.process.wait()
    wait_until(lambda: etiquette.processes() == [])
    etiquette.start()
    _nothing_lost(etiquette, confirmed, run, before["revision"])
    # the nest that was cut off is done by now or will be: it is never lost
    wait_until(lambda: etiquette.get(f"/api/runs/{run}").json()["revision"] > before["revision"])

    assert etiquette.end() == 0
    wait_until(lambda: etiquette.processes() == [])


def _nothing_lost(etiquette: RunningEtiquette, confirmed: list[int], run: int, revision: int) -> None:
    designs, _ = everything(etiquette)
    assert set(confirmed) <= {design["id"] for design in designs}
    with etiquette.client() as client:
        for design in designs:
            # whatever is listed is whole: its settings and its pixels
            assert client.get(f"/api/designs/{design['id']}").status_code == 200
            picture = client.get(f"/api/designs/{design['id']}/picture")
            assert picture.status_code == 200 and picture.content[-8:-4] == b"IEND"
    shown = etiquette.get(f"/api/runs/{run}").json()
    assert shown["revision"] >= revision
    assert shown["layout"] is None or len(shown["layout"]["placements"]) == sum(
        item["count"] for item in shown["document"]["items"]
    )
