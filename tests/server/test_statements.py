"""However many rows there are, a list takes the same number of statements; a run is shown without reading its lines."""

import json
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date
from typing import Any

import httpx
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import event
from sqlalchemy.orm import Session

from etiquette.demo.art import art_file
from etiquette.files.documents.plates import PlateSetDocument
from etiquette.stations import line_finding, run_edits
from etiquette.stations.lines import taking_in
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store import blobs
from etiquette.store.models import Blob, Design, Job, Plate, Run, Sheet
from etiquette.store.states import SheetState
from tests.documents.test_former_versions import HELD
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, fill_shelf


@pytest.fixture
def client(shop: Shop) -> Iterator[TestClient]:
    shop.database.within(fill_shelf)
    (design,) = taking_in.take_in(shop, art_file("spark")[1], "spark.png", None, {})
    do(shop, line_finding.find_lines, design_id=design)
    shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 12}]))
    do(shop, nesting.nest_run, run_id=1, steps=1)
    with signed_in(shop) as made:
        yield made


@contextmanager
def counted(shop: Shop) -> Iterator[list[str]]:
    said: list[str] = []

    def note(_: object, __: object, statement: str, *___: object) -> None:
        said.append(statement)

    event.listen(shop.database.engine, "before_cursor_execute", note)
    yield said
    event.remove(shop.database.engine, "before_cursor_execute", note)


def statements(shop: Shop, ask: Callable[[], httpx.Response]) -> int:
    with counted(shop) as said:
        answer = ask()
    assert answer.status_code == 200
    return len(said)


def add_more(session: Session, count: int) -> None:
    """Jobs with a design each, runs of it, a print of every run: each with a row of its own wherever a list looks."""
    design, run = session.get_one(Design, 1), session.get_one(Run, 1)
    first, sha = session.query(Plate).count(), session.query(Blob).limit(1).one().sha256
    for number in range(count):
        job = Job(name=f"Job {first}.{number}", customer=f"Customer {first}.{number}", due=date(2026, 12, 1))
        session.add(job)
        session.flush()
        made = Design(job_id=job.id, document=design.document.with_(name=f"Design {number}"))
        session.add(made)
        session.flush()
        own = made.id
        items = [{"design_id": own, "count": 1}]
        more = Run(document=run.document.with_(name=f"Run {first}.{number}").changed({"items": items}))
        session.add(more)
        session.flush()
        shas = dict.fromkeys(("pdf_sha", "lines_sha", "preview_sha"), sha)
        summary = PlateSetDocument.read(HELD["plate set"]).with_(placed=(own,))
        plate = Plate(run_id=more.id, key=f"{first}.{number}", summary=summary, **shas)
        session.add(plate)
        session.flush()
        session.add(Sheet(plate_id=plate.id, name=f"{first}.{number}", state=SheetState.PRINTED, pieces=1))


@pytest.mark.parametrize("page", ["floor", "designs", "runs", "sheets", "jobs"])
def test_a_list_of_many_takes_no_more_statements(client: TestClient, shop: Shop, page: str) -> None:
    def asked() -> tuple[int, int]:
        count = statements(shop, lambda: client.get(f"/api/{page}"))
        shown: Any = client.get(f"/api/{page}").json()
        if page == "floor":
            return count, sum(day["count"] for day in shown["days"])
        return count, len(shown["jobs"] if isinstance(shown, dict) else shown)

    shop.database.within(lambda session: add_more(session, 3))
    few, shown_few = asked()
    shop.database.within(lambda session: add_more(session, 30))
    many, shown_many = asked()
    assert shown_many >= shown_few + 30
    assert many == few <= (27 if page == "floor" else 6)  # one of them to know who asks, one what day it is


def test_a_run_of_many_designs_takes_no_more_statements_and_reads_no_file(
    client: TestClient, shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    few = statements(shop, lambda: client.get("/api/runs/1"))
    made = [taking_in.take_in(shop, art_file(art)[1], f"{art}.png", None, {})[0] for art in ("bell", "kite", "radish")]
    for design in made:
        do(shop, line_finding.find_lines, design_id=design)
    items = [{"design_id": design, "count": 2} for design in (1, *made)]
    shop.database.within(lambda session: run_edits.change(session, 1, None, "more", {"items": items}))
    do(shop, nesting.nest_run, run_id=1, steps=1)
    monkeypatch.setattr(blobs.Blobs, "read", lambda *_: pytest.fail("a file was read to show a run"))
    assert statements(shop, lambda: client.get("/api/runs/1")) == few <= 18
    shown = client.get("/api/runs/1").json()
    assert len(shown["pieces"]) == 4 and all(len(json.dumps(piece["outline"])) > 50 for piece in shown["pieces"])


def big_job(shop: Shop, designs: int) -> int:
    """A job of so many designs, each with lines."""

    def made(session: Session) -> int:
        first = session.get_one(Design, 1).document
        job = Job(name=f"Job of {designs}", customer="Bell foundry")
        job.designs = [Design(document=first.with_(name=f"Design {number}", due_count=2)) for number in range(designs)]
        session.add(job)
        session.flush()
        return job.id

    return shop.database.within(made)


@pytest.mark.parametrize("what", ["again", "delete", "quotes", "lines"])
def test_a_job_of_many_designs_takes_no_more_statements_than_one_of_few(
    shop: Shop, client: TestClient, what: str
) -> None:
    """Twelve seconds to copy one of two thousand, eighteen to delete it, eight to quote it: each design was asked for
    by itself."""

    def said(designs: int) -> int:
        job = big_job(shop, designs)
        with counted(shop) as told:
            if what == "again":
                answer = client.post(f"/api/whole/job/{job}/again")
            elif what == "delete":
                answer = client.delete(f"/api/whole/job/{job}")
            elif what == "lines":
                answer = client.get(f"/api/lines/{job}")
            else:
                answer = client.get(f"/api/jobs/{job}/quotes")
        assert answer.is_success, answer.text
        return len(told)

    assert said(40) <= said(4) + 1
