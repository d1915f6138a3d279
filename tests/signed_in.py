"""Clients of the application in this process, signed in as somebody of a role."""

from collections.abc import Iterator
from contextlib import contextmanager

from fastapi import FastAPI
from fastapi.testclient import TestClient
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.people import accounts, links, sign_in
from etiquette.people.rights import Role
from etiquette.server.app import create_app
from etiquette.stations.shop import Shop
from etiquette.store.models import Account

AT = "http://127.0.0.1:8700"
PAGE = {"Origin": AT}
NAMES: dict[Role, str] = {"owner": "Oriel", "operator": "Wren", "viewer": "Moss"}


COOKIE = "etiquette_8700"


def sign_in_to(client: TestClient, shop: Shop, role: Role = "owner") -> None:
    client.cookies.set(COOKIE, key_of(shop, role))


def key_of(shop: Shop, role: Role = "owner") -> str:
    """The key of a page of somebody who opened a link that a start printed."""

    def invited(session: Session) -> str:
        held = session.scalars(select(Account).where(Account.name == NAMES[role])).first()
        account = held or accounts.add(session, NAMES[role], role, demo=True)
        account.role, account.away, account.demo = role, False, True  # whatever was made of it
        return links.new_link(session, account)

    key = sign_in.by_link(shop.database, shop.database.within(invited), "", "", sign_in.Where("127.0.0.1", "tests"))
    assert key is not None
    return key


@contextmanager
def signed_in(shop: Shop, role: Role = "owner", app: FastAPI | None = None) -> Iterator[TestClient]:
    """Pages of somebody of `role`, while the application lives."""
    with client_of(shop, role, app) as made:
        yield made


def client_of(shop: Shop, role: Role = "owner", app: FastAPI | None = None, **more: bool) -> TestClient:
    """The same; the application's own work is begun only where it is entered."""
    made = TestClient(app or create_app(shop), base_url=AT, headers=PAGE, **more)
    sign_in_to(made, shop, role)
    return made
