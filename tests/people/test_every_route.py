"""Every route of the OpenAPI document, asked by nobody and by every role: what each may is written here by hand."""

import json
import re
from functools import cache

import pytest
from fastapi.routing import APIRoute
from starlette.testclient import TestClient

from etiquette.demo.art import art_file
from etiquette.people.rights import OF_TOKENS, RIGHTS, Right, Role
from etiquette.server.app import ROUTES, create_app
from etiquette.server.doors import OPEN
from etiquette.stations import line_finding, run_edits
from etiquette.stations.lines import taking_in
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Edit, Printer, Recipe
from tests.signed_in import AT, PAGE, client_of, sign_in_to
from tests.stations.shop_floor import do, fill_shelf

BY_ANYBODY = {
    ("GET", "/api/people/start"),
    ("POST", "/api/people/sign-in"),
    ("POST", "/api/people/link"),
    ("POST", "/api/people/enter"),
    ("GET", "/health/live"),
    ("GET", "/health/ready"),
}
OF_ONESELF = re.compile(r"/api/people/(me(/.*)?|sign-out|change)")
OF_OWNERS = re.compile(r"/api/(people/(accounts|tokens|trail).*|shop-copies.*)")
OWNERS_CHANGES = re.compile(r"/api/folders.*")
BOOKS = re.compile(
    r"/api/(prices|records.*|recipes.*|folders.*|orders.*|finished-work.*|jobs/\{job_id\}/(quotes?(\.csv)?|traveller|spent|file"
    r"|handovers/\{handover_id\}/slip)|shelf/(file|open|nearby|profiles/.*|roll/.*/ledger))"
)
"""What costs, what stands in the shop's books, and how its machines are reached: not for customers' eyes."""
STREAMS = {"/api/tasks/events", "/api/tasks/{task_id}/events"}


@cache
def operations() -> list[tuple[str, str]]:
    described = create_app(None).openapi()["paths"]
    return [(method.upper(), path) for path, ways in described.items() for method in ways]


def may(role: Role, method: str, path: str) -> bool:
    if (method, path) in BY_ANYBODY or OF_ONESELF.fullmatch(path):
        return True
    if role == "owner":
        return True
    if OF_OWNERS.fullmatch(path) or (method != "GET" and OWNERS_CHANGES.fullmatch(path)):
        return False
    if role == "operator":
        return True
    return method == "GET" and not BOOKS.fullmatch(path)


def asked(client: TestClient, method: str, path: str) -> int:
    return client.request(method, re.sub(r"\{\w+\}", "1", path)).status_code


def test_the_document_names_every_route_there_is() -> None:
    """A route that it does not name would not be walked."""
    there = {
        (method, route.path_format)
        for module in ROUTES
        for route in module.router.routes
        if isinstance(route, APIRoute)
        for method in route.methods
    }
    assert there == set(operations())
    app = create_app(None)
    others = {getattr(route, "path", "") for route in app.routes if not isinstance(route, APIRoute)}
    assert {path for path in others if path.startswith("/api")} <= {"/api/openapi.json"}


def test_nobody_gets_past_the_door(shop: Shop) -> None:
    client = TestClient(create_app(shop), base_url=AT, headers=PAGE)
    for method, path in [*operations(), ("GET", "/api/openapi.json"), ("GET", "/api/nowhere"), ("HEAD", "/api/runs")]:
        status = asked(client, method, path)
        assert (status != 401) == ((method, path) in BY_ANYBODY), (method, path, status)
    assert {path for _, path in BY_ANYBODY if path.startswith("/api")} == OPEN


@pytest.mark.parametrize("forged", ["", "x", "a" * 43, "é", '"'])
def test_a_made_up_key_is_nobody(shop: Shop, forged: str) -> None:
    client = TestClient(create_app(shop), base_url=AT, headers=PAGE)
    for shown in ({"Cookie": f"etiquette_8700={forged}"}, {"Authorization": f"Bearer {forged}"}):
        answer = client.get("/api/runs", headers={name: value.encode() for name, value in shown.items()})
        assert answer.status_code == 401


@pytest.mark.parametrize("role", ["viewer", "operator"])
def test_every_role_does_what_it_may_and_no_more(shop: Shop, role: Role) -> None:
    client = client_of(shop, role, raise_server_exceptions=False)
    key = client.cookies["etiquette_8700"]
    for method, path in operations():
        allowed = may(role, method, path)
        if allowed and (path in STREAMS or OF_ONESELF.fullmatch(path) or (method, path) in BY_ANYBODY):
            continue  # without end, or the end of the sign-in
        client.cookies.clear()
        client.cookies.set("etiquette_8700", key)
        status = asked(client, method, path)
        assert status != 401 and (status != 403) == allowed, (role, method, path, status)


def test_roles_hold_each_other_and_tokens_hold_nothing_of_the_owners() -> None:
    assert RIGHTS["viewer"] < RIGHTS["operator"] < RIGHTS["owner"] == set(Right)
    assert not {Right.OWN, Right.ENTER} & set(OF_TOKENS)


def test_who_may_only_look_sees_no_price_and_no_address(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    shop.database.within(lambda session: setattr(session.get_one(Printer, 1), "address", "ipp://10.0.0.5/print"))
    seen = {role: client_of(shop, role).get("/api/shelf").json() for role in ("owner", "operator", "viewer")}
    assert seen["operator"] == seen["owner"] and seen["owner"]["printer"][0]["address"] == "ipp://10.0.0.5/print"
    assert float(seen["owner"]["stock"][0]["price_m2"]) > 0
    assert seen["viewer"]["printer"][0]["address"] == "" and float(seen["viewer"]["stock"][0]["price_m2"]) == 0
    assert seen["viewer"]["stock"][0]["name"] == seen["owner"]["stock"][0]["name"]


def test_records_say_who_and_refusals_are_in_the_trail(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    client = client_of(shop, "viewer")
    refused = client.post("/api/runs", json={"name": "One", "items": []})
    assert refused.status_code == 403 and refused.json()["title"] == "Moss may not prepare work."
    sign_in_to(client, shop, "operator")
    run = client.post("/api/runs", json={"name": "One", "items": []}).json()["id"]
    changed = client.post(f"/api/runs/{run}/edits", json={"revision": 1, "words": "gap", "changes": {"gap_mm": 3}})
    assert changed.status_code == 200
    assert {edit.who for edit in shop.database.within(lambda session: session.query(Edit).all())} == {"Wren"}
    sign_in_to(client, shop, "owner")
    told = client.get("/api/people/trail", params={"who": "Moss"}).json()["entries"]
    assert (told[0]["did"], told[0]["outcome"]) == ("create run", "refused")
    done = client.get("/api/people/trail", params={"who": "Wren", "text": "edits"}).json()["entries"]
    assert [(one["what"], one["name"]) for one in done] == [(f"runs/{run}/edits", "One")]
    # as it is called now; and of what is gone the address alone is left
    client.post(f"/api/runs/{run}/edits", json={"revision": 2, "words": "name", "changes": {"name": "Two"}})
    assert {
        one["name"] for one in client.get("/api/people/trail", params={"text": f"runs/{run}"}).json()["entries"]
    } == {"Two"}
    assert client.delete(f"/api/whole/run/{run}").status_code < 300
    gone = client.get("/api/people/trail", params={"text": f"runs/{run}"}).json()["entries"]
    assert {one["name"] for one in gone} == {""}


def test_addresses_of_machines_are_the_owners_wherever_they_are_changed(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    client = client_of(shop, "operator")

    def changed(kind: str, changes: dict[str, object]) -> int:
        version = client.get("/api/shelf").json()[kind][0]["version"]
        return client.post(f"/api/shelf/{kind}/1", json={"version": version, "changes": changes}).status_code

    assert changed("printer", {"dpi": 200}) == 200
    assert changed("printer", {"address": "ipp://10.9.9.9/print"}) == 403
    assert changed("cutter", {"address": "socket://10.9.9.9:9100"}) == 403
    file = client.get("/api/shelf/file").json()
    name = file["printer"][0]["name"]
    file["printer"][0]["address"] = "ipp://10.9.9.9/print"
    taken = client.post(
        "/api/shelf/file/take", json={"text": json.dumps(file), "chosen": [{"kind": "printer", "name": name}]}
    )
    assert taken.status_code == 403, taken.json()
    printers = shop.database.within(lambda session: [one.address for one in session.query(Printer)])
    assert "ipp://10.9.9.9/print" not in printers
    sign_in_to(client, shop, "owner")
    assert changed("printer", {"address": "ipp://10.0.0.5/print"}) == 200


def test_recipes_that_send_by_themselves_are_the_owners(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    client = client_of(shop, "operator")
    made = client.post("/api/recipes", json={"name": "Grid"}).json()

    def put(version: int, **changes: object) -> int:
        return client.patch(f"/api/recipes/{made['id']}", json={"version": version, **changes}).status_code

    assert put(1, run={"gap_mm": 4}) == 200
    assert put(2, send=True) == 403
    sign_in_to(client, shop, "owner")
    assert put(2, send=True) == 200
    sign_in_to(client, shop, "operator")
    assert put(3, run={"gap_mm": 5}) == 403  # it would be sent as the operator changed it
    assert shop.database.within(lambda session: session.get_one(Recipe, made["id"]).document.run) == {"gap_mm": 4}


def costs_in(value: object, name: str = "") -> list[str]:
    """Names of all that says what something costs, where it says more than nothing."""
    if isinstance(value, dict):
        return [found for key, one in value.items() for found in costs_in(one, key)]
    if isinstance(value, list):
        return [found for one in value for found in costs_in(one, name)]
    said = value not in (None, "", 0) and not (isinstance(value, str) and not value.strip("0."))
    return [name] if said and re.search("cost|price", name) else []


def test_no_station_tells_a_customer_what_it_costs(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    (design,) = taking_in.take_in(shop, art_file("spark")[1], "spark.png", None, {})
    do(shop, line_finding.find_lines, design_id=design)
    shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 12}]))
    do(shop, nesting.nest_run, run_id=1, steps=1)
    boss, customer = client_of(shop), client_of(shop, "viewer")
    revision = boss.get("/api/runs/1").json()["revision"]
    kept = boss.post("/api/runs/1/layouts", json={"revision": revision, "step": {"do": "keep"}})
    assert kept.status_code == 200, kept.json()
    assert boss.post("/api/webs", json={"designs": [design]}).status_code == 200
    paths = ["/api/runs/1", "/api/print/1", "/api/webs/1", "/api/floor", "/api/jobs", "/api/shelf", "/api/designs/1"]
    told = {path: (costs_in(boss.get(path).json()), costs_in(customer.get(path).json())) for path in paths}
    assert {path for path, (_, theirs) in told.items() if theirs} == set()
    assert {"/api/runs/1", "/api/print/1", "/api/shelf"} <= {path for path, (ours, _) in told.items() if ours}


def test_the_slug_says_who_changed_the_run_last(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    (design,) = taking_in.take_in(shop, art_file("spark")[1], "spark.png", None, {})
    do(shop, line_finding.find_lines, design_id=design)
    wren, oriel = client_of(shop, "operator"), client_of(shop)
    run = wren.post("/api/runs", json={"name": "One", "items": [{"design_id": design, "count": 12}]}).json()["id"]
    do(shop, nesting.nest_run, run_id=run, steps=1)

    def slug(client: TestClient) -> str:
        return str(client.get(f"/api/runs/{run}").json()["plans"][0]["slug"])

    def change(client: TestClient, changes: dict[str, object]) -> None:
        revision = client.get(f"/api/runs/{run}").json()["revision"]
        edit = {"revision": revision, "words": "slug", "changes": changes}
        assert client.post(f"/api/runs/{run}/edits", json=edit).status_code == 200

    change(wren, {"slug": "laid by {operator}"})
    assert slug(wren).endswith("laid by Wren") and slug(oriel) == slug(wren)  # whoever looks
    change(oriel, {"arrow_side": "right"})
    assert slug(wren).endswith("laid by Oriel")
