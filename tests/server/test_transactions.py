"""Transactions at the database: one that is broken off leaves nothing, one that meets another begins anew, and a
connection that has ended is not used."""

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from etiquette.stations.shop import Shop
from etiquette.store import database as store
from etiquette.store.models import Setting


class Broken(Exception):
    pass


def put(shop: Shop, **values: int) -> None:
    shop.database.within(
        lambda session: session.add_all(Setting(name=name, value=str(value)) for name, value in values.items())
    )


def value(shop: Shop, name: str) -> int:
    return shop.database.within(lambda session: int(session.get_one(Setting, name).value))


def adds_one(session: Session, name: str) -> None:
    held = session.get_one(Setting, name, with_for_update=True)
    held.value = str(int(held.value) + 1)


def number_of(session: Session) -> int:
    """That of the connection that is used."""
    return int(session.execute(text("SELECT CONNECTION_ID()")).scalar_one())


def test_what_is_broken_off_leaves_neither_rows_nor_locks(shop: Shop) -> None:
    put(shop, first=1)
    used = set[int]()

    def breaks(session: Session) -> None:
        used.add(number_of(session))
        adds_one(session, "first")
        session.add(Setting(name="second", value="2"))
        session.flush()
        raise Broken

    for _ in range(3):
        with pytest.raises(Broken):
            shop.database.within(breaks)
    assert len(used) == 1  # the same connection goes from hand to hand, without being reset between
    with ThreadPoolExecutor(1) as other:  # on another connection, which would wait for a lock
        other.submit(put, shop, second=5).result()
        other.submit(shop.database.within, lambda session: adds_one(session, "first")).result()
    assert (value(shop, "first"), value(shop, "second")) == (2, 5)


def test_two_that_hold_each_other_up_both_come_through(shop: Shop) -> None:
    put(shop, first=0, second=0)
    meet, tries = threading.Barrier(2), list[str]()

    def adds(session: Session, order: tuple[str, str]) -> None:
        tries.append(order[0])
        adds_one(session, order[0])
        session.flush()
        if len(tries) <= 2:
            meet.wait()
        adds_one(session, order[1])

    with ThreadPoolExecutor(2) as both:
        orders = (("first", "second"), ("second", "first"))
        for one in [
            both.submit(shop.database.within, lambda session, order=order: adds(session, order)) for order in orders
        ]:
            one.result()
    assert len(tries) == 3  # one of them was begun anew
    assert (value(shop, "first"), value(shop, "second")) == (2, 2)


def test_of_two_that_write_the_same_the_second_finds_what_the_first_wrote(shop: Shop) -> None:
    meet, tries = threading.Barrier(2), list[int]()

    def makes_or_adds(session: Session) -> None:
        tries.append(1)
        there = session.get(Setting, "counted")
        if len(tries) <= 2:
            meet.wait()
        if there is None:
            session.add(Setting(name="counted", value="1"))
        else:
            there.value = "2"

    with ThreadPoolExecutor(2) as both:
        for one in [both.submit(shop.database.within, makes_or_adds) for _ in range(2)]:
            one.result()
    assert value(shop, "counted") == 2 and len(tries) == 3


def test_a_connection_that_has_ended_is_not_used(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    put(shop, first=1)

    def ended() -> None:
        """The server ends the connection that the next one to ask would take."""
        with shop.database.engine.connect() as killer:
            killer.execute(text(f"KILL {shop.database.within(number_of)}"))

    monkeypatch.setattr(store, "RESTS_SECONDS", 0.0)
    ended()
    assert value(shop, "first") == 1
    monkeypatch.setattr(store, "RESTS_SECONDS", 1e9)  # one that was used a moment ago is not looked at
    ended()
    with pytest.raises(OperationalError):
        for _ in range(3):
            value(shop, "first")
    assert value(shop, "first") == 1  # and then all are new
