"""Recipes, and which one a job was done by"""

from alembic import op

revision = "0025"
down_revision = "0024"


def upgrade() -> None:
    connection = op.get_bind()
    connection.exec_driver_sql("ALTER TABLE job ADD COLUMN IF NOT EXISTS recipe JSON NULL")
    connection.exec_driver_sql(
        "CREATE TABLE IF NOT EXISTS recipe (id INTEGER NOT NULL AUTO_INCREMENT, name VARCHAR(120) NOT NULL, "
        "document JSON NOT NULL, for_all BOOL NOT NULL DEFAULT 0, away BOOL NOT NULL DEFAULT 0, "
        "changed_at DATETIME(6) NOT NULL, version INTEGER NOT NULL, PRIMARY KEY (id), "
        "CONSTRAINT uq_recipe_name UNIQUE (name))"
    )
