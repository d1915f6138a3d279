"""Signing in and what it opens: over HTTP where a browser sees it, with a clock of its own where time decides."""

from collections.abc import Iterator
from datetime import datetime, timedelta

import pyotp
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session
from starlette.testclient import TestClient

from etiquette.core.errors import JobError
from etiquette.people import accounts, audit, links, passwords, sign_in, tokens
from etiquette.people.rights import NotSignedIn, Person, Right, Role
from etiquette.people.sign_in import CodeWanted, Where
from etiquette.people.throttle import TooOften
from etiquette.server.app import create_app
from etiquette.stations.shop import Shop
from etiquette.store.models import Account, AuditEntry, SignIn, now
from tests.let_in import OWNER
from tests.signed_in import AT, PAGE, client_of
from tests.stations.shop_floor import fill_shelf

NAME, PASSWORD = OWNER["name"], OWNER["password"]
HERE = Where("10.0.0.7", "a browser")
NOON = datetime(2026, 11, 30, 12)


@pytest.fixture
def visitor(shop: Shop) -> TestClient:
    """A browser that nobody is signed in at."""
    return TestClient(create_app(shop), base_url=AT, headers=PAGE)


@pytest.fixture
def owner(shop: Shop) -> Account:
    return person(shop, NAME, "owner", PASSWORD)


def person(shop: Shop, name: str, role: Role, password: str, pin: str | None = None) -> Account:
    def made(session: Session) -> Account:
        account = accounts.add(session, name, role)
        account.password = passwords.hashed(password)
        account.pin = passwords.hashed(pin) if pin else None
        return account

    return shop.database.within(made)


def enter(
    shop: Shop, at: datetime = NOON, code: str | None = None, password: str = PASSWORD, where: Where = HERE
) -> str:
    return sign_in.by_password(shop.database, NAME, password, code, False, where, at)


def known(shop: Shop, key: str, at: datetime = NOON, off: bool = False) -> Person | None:
    return shop.database.within(lambda session: sign_in.person_of(session, key, off, at))


def trail(shop: Shop) -> list[tuple[str, str, str]]:
    found = shop.database.within(lambda session: session.scalars(select(AuditEntry).order_by(AuditEntry.id)).all())
    return [(one.who, one.did, one.outcome) for one in found]


def test_the_first_link_makes_the_owner_once(shop: Shop, visitor: TestClient) -> None:
    key = shop.database.within(lambda session: links.first_link(session, demo=False))
    assert visitor.get("/api/people/start").json()["owner"] is False
    assert visitor.post("/api/people/link", json={"key": key}).json() == {"opens": "owner", "name": ""}
    weak = visitor.post("/api/people/enter", json={"key": key, "name": NAME, "password": "oriel123"})
    assert weak.status_code == 422 and "guessed" in weak.json()["title"]
    made = visitor.post("/api/people/enter", json={"key": key, "name": NAME, "password": PASSWORD})
    assert made.json() == {"signed_in": True}
    cookie = made.headers["set-cookie"]
    assert cookie.startswith("etiquette_8700=") and "HttpOnly" in cookie and "SameSite=lax" in cookie
    assert "Secure" not in cookie and "Path=/" in cookie
    assert visitor.get("/api/people/me").json()["owns"] is True
    again = visitor.post("/api/people/enter", json={"key": key, "name": "Wren", "password": PASSWORD})
    assert again.status_code == 422 and "used" in again.json()["title"]
    assert shop.database.within(lambda session: links.first_link(session, demo=False)) is None
    assert ("Oriel", "sign in", "done") in trail(shop)


def test_two_first_owners_cannot_be_made_by_two_links(shop: Shop, visitor: TestClient) -> None:
    first = shop.database.within(lambda session: links.first_link(session, demo=False))
    second_link = shop.database.within(lambda session: links.first_link(session, demo=False))
    assert visitor.post("/api/people/link", json={"key": first}).status_code == 422  # the newer one took its place
    assert visitor.post("/api/people/link", json={"key": second_link}).status_code == 200


def test_links_end_after_their_time(shop: Shop) -> None:
    key = shop.database.within(lambda session: links.new_link(session, None, timedelta(days=1), NOON))

    def opens(at: datetime) -> bool:
        return shop.database.within(lambda session: links.link_of(session, key, at)) is not None

    assert opens(NOON + timedelta(hours=23, minutes=59))
    with pytest.raises(links.LinkOver):
        opens(NOON + timedelta(days=1))


def test_under_tls_the_sign_in_is_bound_to_its_host(shop: Shop, owner: Account) -> None:
    client = TestClient(
        create_app(shop), base_url="https://127.0.0.1:8700", headers={"Origin": "https://127.0.0.1:8700"}
    )
    cookie = client.post("/api/people/sign-in", json=OWNER).headers["set-cookie"]
    # RFC 6265bis, 4.1.3.2: Secure, Path=/ and no Domain, else a browser refuses the prefix
    assert cookie.startswith("__Host-etiquette=") and "Secure" in cookie and "Path=/" in cookie
    assert "Domain" not in cookie and "HttpOnly" in cookie
    answer = client.get("/api/people/me")
    assert answer.status_code == 200 and answer.headers["strict-transport-security"] == "max-age=31536000"


def test_wrong_names_and_wrong_passwords_are_told_alike(shop: Shop, visitor: TestClient, owner: Account) -> None:
    wrong = [
        visitor.post("/api/people/sign-in", json={"name": name, "password": "no such thing 9"})
        for name in (NAME, "Nobody")
    ]
    assert [one.status_code for one in wrong] == [401, 401]
    assert wrong[0].json() == wrong[1].json()
    assert trail(shop)[-1] == ("Nobody", "sign in", "refused")


def test_who_tries_in_vain_waits_longer_each_time_and_alone(shop: Shop, owner: Account) -> None:
    at = NOON
    for _ in range(4):
        with pytest.raises(NotSignedIn):
            enter(shop, at, password="wrong")
    with pytest.raises(TooOften) as refused:  # the right one too
        enter(shop, at)
    assert refused.value.wait == pytest.approx(1)
    enter(shop, at, where=Where("10.0.0.8", ""))  # elsewhere the person comes in
    at += timedelta(seconds=1)
    with pytest.raises(NotSignedIn):
        enter(shop, at, password="wrong")
    with pytest.raises(TooOften):
        enter(shop, at + timedelta(seconds=1.9))
    enter(shop, at + timedelta(seconds=2))
    with pytest.raises(NotSignedIn):  # who came in starts anew
        enter(shop, at + timedelta(seconds=2), password="wrong")
    enter(shop, at + timedelta(seconds=2))


def test_an_address_that_tries_many_names_waits(shop: Shop, owner: Account) -> None:
    for number in range(30):
        with pytest.raises(NotSignedIn):
            sign_in.by_password(shop.database, f"name {number}", "wrong", None, False, HERE, NOON)
    with pytest.raises(TooOften):
        enter(shop)


def test_a_sign_in_ends_when_nobody_asks_and_at_last(shop: Shop, owner: Account) -> None:
    key = enter(shop)
    assert known(shop, key, NOON + timedelta(days=2.9)) is not None
    assert known(shop, key, NOON + timedelta(days=5.8)) is not None  # it was asked meanwhile
    assert known(shop, key, NOON + timedelta(days=8.9)) is None
    key = enter(shop)
    for day in range(1, 31):
        assert known(shop, key, NOON + timedelta(days=day)) is not None
    assert known(shop, key, NOON + timedelta(days=30, seconds=1)) is None


def test_the_second_step(shop: Shop, owner: Account) -> None:
    secret = pyotp.random_base32()

    def give(session: Session) -> None:
        accounts.account_there(session, owner.id).second_secret = secret

    shop.database.within(give)
    codes = pyotp.TOTP(secret, digits=6)
    now = codes.at(int(NOON.timestamp()))
    with pytest.raises(CodeWanted):
        enter(shop)
    key = enter(shop, code=now)
    assert known(shop, key, off=True) is not None
    with pytest.raises(NotSignedIn):  # somebody looked over the shoulder
        enter(shop, code=now)
    with pytest.raises(NotSignedIn):
        enter(shop, password="wrong", code=now)


def test_knowing_the_password_is_no_way_to_try_every_code(shop: Shop, owner: Account) -> None:
    def give(session: Session) -> None:
        accounts.account_there(session, owner.id).second_secret = pyotp.random_base32()

    shop.database.within(give)
    with pytest.raises(TooOften):
        for _ in range(5):
            with pytest.raises(CodeWanted):
                enter(shop)
            with pytest.raises(NotSignedIn):
                enter(shop, code="000000")


def test_off_the_loopback_an_owner_does_nothing_before_the_second_step(shop: Shop, owner: Account) -> None:
    key = enter(shop)
    on, off = known(shop, key), known(shop, key, off=True)
    assert on is not None and Right.OWN in on.rights
    assert off is not None and off.rights == {Right.ENTER}


def test_a_changed_password_ends_every_other_sign_in(shop: Shop, owner: Account) -> None:
    clients = [TestClient(create_app(shop), base_url=AT, headers=PAGE) for _ in range(2)]
    for client in clients:
        assert client.post("/api/people/sign-in", json=OWNER).status_code == 204
    wrong = clients[0].put("/api/people/me/password", json={"former": "wrong", "password": "heron basalt 93 quay"})
    assert wrong.status_code == 422
    body = {"former": PASSWORD, "password": "heron basalt 93 quay"}
    assert clients[0].put("/api/people/me/password", json=body).status_code == 204
    assert [client.get("/api/people/me").status_code for client in clients] == [200, 401]
    assert clients[1].post("/api/people/sign-in", json=OWNER).status_code == 401


def test_signing_out_ends_it_on_the_server(shop: Shop, visitor: TestClient, owner: Account) -> None:
    visitor.post("/api/people/sign-in", json=OWNER)
    former = visitor.cookies["etiquette_8700"]
    visitor.post("/api/people/sign-in", json=OWNER)
    assert known(shop, former, datetime.now()) is None  # who signs in anew leaves nothing open behind
    key = visitor.cookies["etiquette_8700"]
    assert visitor.post("/api/people/sign-out").status_code == 204
    visitor.cookies.set("etiquette_8700", key)  # somebody kept it
    assert visitor.get("/api/people/me").status_code == 401


def test_one_other_sign_in_is_ended_and_nobody_elses(shop: Shop, visitor: TestClient, owner: Account) -> None:
    person(shop, "Wren", "operator", "lantern ferry 14 thistle")
    theirs = sign_in.by_password(shop.database, "Wren", "lantern ferry 14 thistle", None, False, HERE, now())
    lost, kept = (enter(shop, now()) for _ in range(2))
    visitor.post("/api/people/sign-in", json={"name": NAME, "password": PASSWORD}).raise_for_status()

    def number(key: str) -> int:
        found = known(shop, key, now())
        assert found is not None and found.sign_in_id is not None
        return found.sign_in_id

    numbers = {key: number(key) for key in (lost, kept, theirs)}
    listed = visitor.get("/api/people/me/browsers").json()
    (here,) = [one["id"] for one in listed if one["here"]]
    assert {one["id"] for one in listed} == {numbers[lost], numbers[kept], here}
    left = visitor.delete(f"/api/people/me/browsers/{numbers[lost]}").json()
    assert {one["id"] for one in left} == {numbers[kept], here} and known(shop, lost, now()) is None
    for number_of_none in (numbers[lost], numbers[theirs], 10**12):
        assert visitor.delete(f"/api/people/me/browsers/{number_of_none}").status_code == 404
    assert visitor.delete(f"/api/people/me/browsers/{here}").status_code == 422
    assert known(shop, theirs, now()) and known(shop, kept, now())
    assert (NAME, "sign out at", "done") in trail(shop)


def test_the_key_of_a_sign_in_is_not_what_is_kept(shop: Shop, owner: Account) -> None:
    key = enter(shop)
    (kept,) = shop.database.within(lambda session: session.scalars(select(SignIn.token_sha)).all())
    assert kept != key and known(shop, kept) is None


@pytest.fixture
def shared(shop: Shop, owner: Account) -> Iterator[TestClient]:
    """A shared screen at which the owner signed in; Wren has the PIN 2907."""
    person(shop, "Wren", "owner", "heron basalt 93 quay", pin="2907")
    client = TestClient(create_app(shop), base_url=AT, headers=PAGE)
    client.post("/api/people/sign-in", json={**OWNER, "shared": True})
    yield client


def test_a_pin_hands_a_shared_screen_over_without_the_rights_of_an_owner(shop: Shop, shared: TestClient) -> None:
    me = shared.get("/api/people/me").json()
    (wren,) = me["colleagues"]
    assert wren["name"] == "Wren"
    before = shared.cookies["etiquette_8700"]
    wrong = shared.post("/api/people/change", json={"account_id": wren["id"], "pin": "2908"})
    assert wrong.status_code == 422 and shared.get("/api/people/me").json()["name"] == NAME
    assert shared.post("/api/people/change", json={"account_id": wren["id"], "pin": "2907"}).status_code == 204
    me = shared.get("/api/people/me").json()
    assert (me["name"], me["role"], me["owns"]) == ("Wren", "owner", False)
    assert shared.get("/api/people/accounts").status_code == 403
    assert known(shop, before) is None  # the key of who was there before is of no use


def test_a_badge_hands_over_too_and_a_new_one_ends_the_former(shop: Shop, shared: TestClient) -> None:
    made = [shared.post("/api/people/me/badge", json={"password": PASSWORD}).json()["code"] for _ in range(2)]
    assert all(len(one) == 24 and one.isdigit() for one in made)
    shared.post(
        "/api/people/change",
        json={"account_id": shared.get("/api/people/me").json()["colleagues"][0]["id"], "pin": "2907"},
    )
    assert shared.post("/api/people/change", json={"badge": made[0]}).status_code == 422
    assert shared.post("/api/people/change", json={"badge": made[1]}).status_code == 204
    assert shared.get("/api/people/me").json()["name"] == NAME


def test_pins_are_for_shared_screens_and_not_tried_without_end(shop: Shop, shared: TestClient) -> None:
    wren = shared.get("/api/people/me").json()["colleagues"][0]["id"]
    tried = [shared.post("/api/people/change", json={"account_id": wren, "pin": "4711"}) for _ in range(5)]
    assert [one.status_code for one in tried] == [422, 422, 422, 422, 429]
    assert tried[-1].headers["retry-after"] == "1"
    alone = TestClient(create_app(shop), base_url=AT, headers=PAGE)
    alone.post("/api/people/sign-in", json=OWNER)
    refused = alone.post("/api/people/change", json={"account_id": wren, "pin": "2907"})
    assert refused.status_code == 422 and "not shared" in refused.json()["title"]


def test_an_owner_is_always_left(shop: Shop, owner: Account) -> None:
    client = TestClient(create_app(shop), base_url=AT, headers=PAGE)
    client.post("/api/people/sign-in", json=OWNER)
    for change in ({"role": "operator"}, {"away": True}):
        refused = client.patch(f"/api/people/accounts/{owner.id}", json=change)
        assert refused.status_code == 422 and "has to be left" in refused.json()["title"]
    assert client.get("/api/people/me").status_code == 200


def test_who_is_put_away_is_out_at_once_and_the_invited_choose_their_own_password(
    shop: Shop, visitor: TestClient, owner: Account
) -> None:
    boss = TestClient(create_app(shop), base_url=AT, headers=PAGE)
    boss.post("/api/people/sign-in", json=OWNER)
    link = boss.post("/api/people/accounts", json={"name": "Moss", "role": "operator"}).json()["path"]
    twice = boss.post("/api/people/accounts", json={"name": "Moss", "role": "viewer"})
    assert twice.status_code == 422 and "called Moss already" in twice.json()["title"]
    key = link.removeprefix("/enter#")
    assert visitor.post("/api/people/link", json={"key": key}).json() == {"opens": "account", "name": "Moss"}
    visitor.post("/api/people/enter", json={"key": key, "name": "Oriel", "password": "heron basalt 93 quay"})
    me = visitor.get("/api/people/me").json()
    assert (me["name"], me["role"]) == ("Moss", "operator")  # the link says who, not what is typed
    boss.patch(f"/api/people/accounts/{me['id']}", json={"away": True})
    assert visitor.get("/api/people/me").status_code == 401
    assert (
        visitor.post("/api/people/sign-in", json={"name": "Moss", "password": "heron basalt 93 quay"}).status_code
        == 401
    )


def test_what_was_done_is_written_with_the_change_and_not_without_it(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    client = client_of(shop)
    before = len(trail(shop))
    assert client.get("/api/runs").status_code == 200
    assert len(trail(shop)) == before  # to look is not to do
    run = client.post("/api/runs", json={"name": "One", "items": []}).json()["id"]
    assert trail(shop)[before:] == [("Oriel", "create run", "done")]
    assert (
        client.post(f"/api/runs/{run}/edits", json={"revision": 9, "words": "x", "changes": {"gap_mm": 3}}).status_code
        == 409
    )
    assert len(trail(shop)) == before + 1  # refused by the work itself: nothing was changed
    shown = client.get("/api/people/trail", params={"text": "run"}).json()["entries"]
    assert shown[0]["what"] == "runs" and shown[0]["way"] == "page"
    lines = client.get("/api/people/trail.csv").text.splitlines()
    assert lines[0] == "at,who,way,did,what,outcome,address" and ",Oriel,page,create run,runs,done," in lines[1]


def test_names_do_no_sums_in_the_table(shop: Shop) -> None:
    client = client_of(shop)
    client.post("/api/people/accounts", json={"name": "=1+1", "role": "operator"})

    def refused(session: Session) -> None:
        audit.note(session, "sign in", "=1+1", "refused")

    shop.database.within(refused)
    assert ",'=1+1,page," in client.get("/api/people/trail.csv").text


def test_a_change_says_which_page_it_comes_from(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    client = client_of(shop)
    del client.headers["Origin"]
    refused = client.post("/api/runs", json={"name": "One", "items": []})
    assert refused.status_code == 403 and refused.json()["where"] == "Origin"
    assert (
        client.post(
            "/api/runs", json={"name": "One", "items": []}, headers={"Origin": "http://127.0.0.1:8701"}
        ).status_code
        == 403
    )
    fetched = {"Sec-Fetch-Site": "same-origin", "Sec-Fetch-Mode": "cors"}
    assert client.post("/api/runs", json={"name": "One", "items": []}, headers=fetched).status_code == 200


def test_a_token_does_what_it_was_made_for_until_it_ends(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    client = client_of(shop)
    made = client.post("/api/people/tokens", json={"name": "Web shop", "rights": ["PREPARE"], "days": 30}).json()
    assert made["key"].startswith("etq_") and made["token"]["rights"] == ["PREPARE"]
    other = TestClient(create_app(shop), base_url=AT, headers={"Authorization": f"Bearer {made['key']}"})
    run = other.post("/api/runs", json={"name": "Theirs", "items": []})
    assert run.status_code == 200
    assert other.get("/api/prices").status_code == 403
    assert other.post("/api/bench/1/cut", json={}).status_code == 403
    for path in ("/api/people/accounts", "/api/people/trail", "/api/people/me"):
        assert other.get(path).status_code == 403
    assert ("Web shop", "create run", "done") in trail(shop)

    def at(days: float) -> object:
        then = datetime.fromisoformat(made["token"]["made_at"]).replace(tzinfo=None) + timedelta(days=days)
        return shop.database.within(lambda session: tokens.person_of(session, made["key"], then))

    assert at(29.9) is not None and at(30) is None
    client.delete(f"/api/people/tokens/{made['token']['id']}")
    assert other.get("/api/runs").status_code == 401


def test_nothing_of_a_body_is_read_of_who_is_not_known(shop: Shop, visitor: TestClient) -> None:
    def endless() -> Iterator[bytes]:
        raise AssertionError("it was read")
        yield b""

    answer = visitor.post(
        "/api/designs", content=endless(), headers={"Content-Type": "multipart/form-data; boundary=x"}
    )
    assert answer.status_code == 401
    large = visitor.post("/api/people/sign-in", content=b"x" * (20 << 10))
    assert large.status_code == 413


def test_a_link_of_the_machine_itself_lets_in_who_lost_the_telephone(
    shop: Shop, visitor: TestClient, owner: Account
) -> None:
    def give(session: Session) -> None:
        accounts.account_there(session, owner.id).second_secret = pyotp.random_base32()

    shop.database.within(give)
    with pytest.raises(JobError, match="Whose link"):
        shop.database.within(lambda session: links.link_for(session, "Nobody"))
    key = shop.database.within(lambda session: links.link_for(session, ""))
    entered = visitor.post("/api/people/enter", json={"key": key, "password": "heron basalt 93 quay"})
    assert entered.json() == {"signed_in": True}
    me = visitor.get("/api/people/me").json()
    assert me["name"] == NAME and me["second"] is False
