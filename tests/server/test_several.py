"""A shop on several machines without a disk in common: whichever server is asked, whichever worker is lost, whatever
the broker forgets."""

import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from etiquette.demo.art import art_file
from tests.conftest import PATIENCE, wait_until
from tests.several import BUCKET, Several, several


@pytest.fixture
def shop(tmp_path: Path) -> Iterator[Several]:
    with several(tmp_path, PATIENCE) as made:
        yield made


def asked(client: httpx.Client, method: str, path: str, **more: Any) -> Any:
    answer = client.request(method, f"/api{path}", **more)
    answer.raise_for_status()
    return answer.json()


def taken_in(client: httpx.Client, art: str) -> int:
    name, content = art_file(art)
    return int(asked(client, "POST", "/designs", files={"file": (name, content)})["ids"][0])


def change(client: httpx.Client, design: int, **changes: Any) -> None:
    revision = asked(client, "GET", f"/designs/{design}")["revision"]
    body = {"revision": revision, "words": "change", "changes": changes}
    asked(client, "POST", f"/designs/{design}/edits", json=body)


def find(client: httpx.Client, design: int) -> int:
    return int(asked(client, "PUT", f"/designs/{design}/lines")["task_id"])


def state(client: httpx.Client, task: int) -> str:
    return str(asked(client, "GET", f"/tasks/{task}")["state"])


def test_two_servers_and_two_sets_of_workers_are_one_shop(shop: Several) -> None:
    one = shop.server("web one")
    other = shop.server("web other")
    design = taken_in(one, "spark")
    change(one, design, width_mm=40.0)
    assert asked(other, "GET", f"/designs/{design}")["document"]["width_mm"] == 40.0
    # the picture came from the bucket: the other server's own folder did not have it
    assert other.get(f"/api/designs/{design}/picture").content[-8:-4] == b"IEND"
    assert shop.bucket.list_objects_v2(Bucket=BUCKET, Prefix="shop/")["KeyCount"] >= 3

    task = find(one, design)  # nobody works yet: it waits
    # what the broker had is lost, and what waits is told again all the same
    shop.redis.flushall()
    shop.workers("work one")
    wait_until(lambda: state(other, task) == "done")

    # events of work that one server was asked for are read at the other
    with other.stream("GET", f"/api/tasks/{task}/events") as stream:
        said = "".join(line for line in stream.iter_lines() if line)
    assert "Done" in said


def test_a_lost_machine_loses_nothing_and_doubles_nothing(shop: Several) -> None:
    shop.server("web to be lost")  # the first of them leads
    one = shop.server("web that stays")
    lost = shop.workers("work to be lost")
    designs = [taken_in(one, art) for art in ("kite", "trueing-disc", "spark")]
    for design in designs:
        change(one, design, width_mm=50.0)
    tasks = [find(one, design) for design in designs]
    wait_until(lambda: any(state(one, task) != "waiting" for task in tasks))
    shop.kill("web to be lost")
    shop.kill("work to be lost")
    assert lost.wait() != 0
    shop.workers("work that stays")
    wait_until(lambda: all(state(one, task) == "done" for task in tasks))
    shown = [asked(one, "GET", f"/designs/{design}") for design in designs]
    assert all(design["lines"] for design in shown)


def test_an_etiquette_of_one_machine_keeps_out_and_one_of_several_does_too(shop: Several, tmp_path: Path) -> None:
    """One that knows no broker would give back what the others have in hand."""
    shop.server("web")
    environment = {**os.environ, "ETIQUETTE_DATA": str(tmp_path / "alone"), "ETIQUETTE_DATABASE_URL": shop.database.url}
    command = [sys.executable, "-m", "etiquette.server.prepare"]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    assert done.returncode == 1 and "Another Etiquette works with this database." in done.stderr
