"""The demo goes into a database that it made or that holds nothing at all (“Firm ground”, 2)."""

from datetime import date, datetime
from enum import StrEnum
from functools import partial
from typing import Any

import pytest
from sqlalchemy import Table, text
from sqlalchemy.orm import Session

from etiquette.demo import load, whose
from etiquette.stations.shop import Shop
from etiquette.store.models import Base, Setting, Stock

TABLES = [table for table in Base.metadata.sorted_tables if table.name not in whose.LEFT_ALONE]


def a_row(table: Table) -> dict[str, Any]:
    """Something for every column that has to have something."""
    values: dict[str, Any] = {}
    for column in table.columns:
        if column.nullable or column is table.autoincrement_column:
            continue
        kind = column.type.python_type
        if issubclass(kind, StrEnum):
            values[column.name] = next(iter(kind))
            continue
        values[column.name] = {
            str: "x",
            int: 1,
            float: 1.0,
            bool: False,
            dict: {},
            datetime: datetime(2026, 1, 1),
            date: date(2026, 1, 1),
        }.get(kind, 1)
    return values


@pytest.mark.parametrize("table", TABLES, ids=lambda table: table.name)
def test_2_data_in_any_table_are_somebodys_and_stay(shop: Shop, table: Table) -> None:
    def put(session: Session) -> None:
        session.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        session.execute(table.insert().values(a_row(table)))
        session.execute(text("SET FOREIGN_KEY_CHECKS = 1"))

    shop.database.within(put)
    load.load_demo(shop, with_devices=False)
    counted = " UNION ALL ".join(f"SELECT '{one.name}', COUNT(*) FROM `{one.name}`" for one in TABLES)
    counts = dict(shop.database.within(lambda session: session.execute(text(counted)).tuples().all()))
    assert {name for name, count in counts.items() if count} == {table.name} and counts[table.name] == 1


def test_2_an_empty_database_is_the_demos_and_a_load_that_was_cut_off_is_made_again(shop: Shop) -> None:
    assert shop.database.within(whose.claim)
    shop.database.within(partial(load._shelf, shop))
    stocks = shop.database.within(lambda session: session.query(Stock).count())
    assert stocks and shop.database.within(whose.claim)  # begun, and nobody has seen it
    assert shop.database.within(lambda session: session.query(Stock).count()) == 0
    shop.database.within(partial(load._shelf, shop))
    shop.database.within(load._loaded)
    assert not shop.database.within(whose.claim)
    assert shop.database.within(lambda session: session.query(Stock).count()) == stocks
    assert shop.database.within(lambda session: session.get_one(Setting, whose.DEMO)).value == whose.LOADED
