"""Health and figures, read by the reference client of their format."""

import httpx
import pytest
from prometheus_client.parser import text_string_to_metric_families
from sqlalchemy.exc import OperationalError
from starlette.testclient import TestClient

from etiquette.server import health_api
from etiquette.server.app import create_app
from etiquette.stations.shop import Shop
from etiquette.store.database import Database
from etiquette.store.models import Printer
from tests.signed_in import AT, client_of
from tests.stations.shop_floor import fill_shelf, queued


@pytest.fixture
def stranger(shop: Shop) -> TestClient:
    return TestClient(create_app(shop), base_url=AT)


def away(*_: object, **__: object) -> None:
    raise OperationalError("SELECT 1", {}, Exception(2003, "no server"))


def test_who_watches_needs_no_sign_in_and_learns_no_more_than_whether_it_works(stranger: TestClient) -> None:
    assert stranger.get("/health/live").json() == {"live": True}
    assert stranger.get("/health/ready").json() == {"ready": True, "database": True, "disk": True}
    assert stranger.get("/metrics").status_code == 401


def test_without_its_database_it_lives_and_is_not_ready(stranger: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Database, "within", away)
    assert stranger.get("/health/live").status_code == 200
    answer = stranger.get("/health/ready")
    assert answer.status_code == 503 and answer.json() == {"ready": False, "database": False, "disk": True}
    refused = stranger.get("/api/runs", headers={"Cookie": "etiquette_8700=something"})
    assert refused.status_code == 503 and "database does not answer" in refused.json()["title"]


def test_a_full_disk_is_not_ready(stranger: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(health_api, "LEAST_FREE_BYTES", 1 << 62)
    answer = stranger.get("/health/ready")
    assert answer.status_code == 503 and answer.json()["disk"] is False


def figures(answer: httpx.Response) -> dict[tuple[str, str], float]:
    """By name and the values of the labels."""
    assert answer.headers["content-type"].startswith("text/plain; version=")
    return {
        (sample.name, " ".join(sample.labels.values())): sample.value
        for family in text_string_to_metric_families(answer.text)
        for sample in family.samples
    }


def test_figures_tell_requests_by_route_and_what_waits(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    shop.database.within(lambda session: queued(session, "find lines", {"design_id": 1}))
    client = client_of(shop)
    for number in (1, 2, 3):
        client.get(f"/api/runs/{number}")
    client.get("/api/tasks/events/nowhere")
    shop.database.within(lambda session: setattr(session.get_one(Printer, 1), "address", "ipp://127.0.0.1:9/print"))
    told = figures(client.get("/metrics"))
    assert told["etiquette_request_seconds_count", "GET /api/runs/{run_id} 404"] == 3
    assert told["etiquette_tasks", "waiting"] == 1
    assert told["etiquette_task_oldest_seconds", ""] >= 0
    assert [v for (name, of), v in told.items() if name == "etiquette_machine_answers" and "Printer east" in of] == [0]
    assert 0 < told["etiquette_disk_free_bytes", ""] < told["etiquette_disk_bytes", ""]
    assert told["etiquette_database_seconds", ""] > 0
    assert not [name for name, labels in told if "/api/runs/1" in labels]  # labels do not grow with the shop
