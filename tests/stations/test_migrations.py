"""The tables: made by migrations alone, twice without harm, and exactly what the models say."""

from alembic import command
from sqlalchemy import text

from etiquette.stations.shop import Shop
from etiquette.store.database import alembic_config
from etiquette.store.models import Base


def test_migrations_give_the_models_and_can_be_cut_off_anywhere(shop: Shop) -> None:
    command.check(alembic_config(shop.database.url))  # raises when a model and a table differ
    # DDL is not transactional: a start that was cut off has some tables and no version
    with shop.database.engine.begin() as connection:
        connection.execute(text("DELETE FROM alembic_version"))
        connection.execute(text("DROP TABLE task_event"))
    shop.database.migrate()
    command.check(alembic_config(shop.database.url))


def test_times_are_utc_with_microseconds_and_money_is_decimal(shop: Shop) -> None:
    with shop.database.engine.connect() as connection:
        assert connection.scalar(text("SELECT TIMESTAMPDIFF(SECOND, UTC_TIMESTAMP(), NOW())")) == 0
        columns = dict(
            connection.execute(
                text(
                    "SELECT CONCAT(table_name, '.', column_name), column_type FROM information_schema.columns WHERE "
                    "table_schema = DATABASE()"
                )
            ).all()
        )
    assert {
        kind
        for name, kind in columns.items()
        if name.endswith("_at") or name.endswith(".at") or name.endswith("_until")
    } == {"datetime(6)"}
    assert columns["stock.price_m2"].startswith("decimal") and columns["job.due"] == "date"
    assert set(Base.metadata.tables) <= {name.split(".")[0] for name in columns}
