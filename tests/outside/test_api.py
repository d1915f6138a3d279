"""No request, however odd, ends in a server error: schemathesis (property-based testing of OpenAPI descriptions) makes
them from our own description of the API; and none gives a lesser role what it may not have. The same requests in every
check, as the owner; SCHEMATHESIS_EXAMPLES asks for more, SCHEMATHESIS_ROLE as somebody else (benchmarks/every_role.py).
"""

import os
from pathlib import Path
from typing import Any

import pytest
import requests
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis import Case
from starlette.testclient import TestClient

from etiquette.demo.art import art_file
from etiquette.people.rights import Role
from etiquette.server.app import create_app
from etiquette.stations import line_finding, run_edits
from etiquette.stations.lines import taking_in
from etiquette.stations.print import plating, sending
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from tests.people.test_every_route import may
from tests.signed_in import client_of, sign_in_to
from tests.stations.shop_floor import do, fill_shelf

ROLE: Role = os.environ.get("SCHEMATHESIS_ROLE", "owner")  # type: ignore[assignment]
EXAMPLES = int(os.environ.get("SCHEMATHESIS_EXAMPLES", "6"))
SHARES = 6
"""The operations are dealt to so many tests, each with a shop that no other has emptied; one worker does them all, for
the description takes as long to make as a share. A test for each operation, as schemathesis makes them, would have one
name for all: xdist then runs only one of them."""


@pytest.fixture
def client(shop: Shop, tmp_path: Path) -> TestClient:
    """A shop with one of everything, so that what is asked for is there now and then; no machine answers."""
    shop.database.within(fill_shelf)
    (design,) = taking_in.take_in(shop, art_file("trueing-disc")[1], "disc.png", None)
    do(shop, line_finding.find_lines, design_id=design)
    run = shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 3}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    plate = do(shop, plating.make_plates, run_id=run)["plate_ids"][0]
    shop.database.within(lambda session: sending.new_sheet(session, plate, hold=True))
    return client_of(shop, ROLE, raise_server_exceptions=False)


@pytest.fixture(scope="module")
def operations() -> list[Any]:
    schema = schemathesis.openapi.from_dict(create_app(None).openapi())
    return [found.ok() for found in schema.get_all_operations()]


@pytest.mark.parametrize("share", range(SHARES))
def test_nothing_ends_in_a_server_error(share: int, operations: list[Any], client: TestClient, shop: Shop) -> None:
    assert len(operations) > 100
    for operation in operations[share::SHARES]:
        if operation.path.endswith("/events"):  # a stream lasts as long as its task
            continue

        @given(operation.as_strategy())
        @settings(
            max_examples=EXAMPLES,
            derandomize=True,
            deadline=None,
            phases=[Phase.explicit, Phase.generate],
            suppress_health_check=list(HealthCheck),
            database=None,
        )
        def ask(case: Case) -> None:
            _ask(client, case, may(ROLE, operation.method.upper(), operation.path))  # noqa: B023

        _stay(client, shop)
        ask()


def _stay(client: TestClient, shop: Shop) -> None:
    """Still signed in: some of what is asked ends that."""
    if client.get("/api/people/me").status_code != 200:
        client.cookies.clear()
        sign_in_to(client, shop, ROLE)
        assert client.get("/api/people/me").json()["role"] == ROLE


def _ask(client: TestClient, case: Case, may_have: bool) -> None:
    asked = requests.Request(**case.as_transport_kwargs(base_url=str(client.base_url))).prepare()
    response = client.request(asked.method or "GET", asked.url or "", headers=dict(asked.headers), content=asked.body)
    assert response.status_code < 500, (response.status_code, case.as_curl_command(), response.text)
    assert may_have or response.status_code >= 400, (response.status_code, case.as_curl_command())
    if response.status_code >= 400:
        assert response.headers["content-type"] == "application/problem+json", case.as_curl_command()
