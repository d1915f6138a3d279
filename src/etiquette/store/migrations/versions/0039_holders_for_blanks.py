"""Holders for blanks"""

from alembic import op

revision = "0039"
down_revision = "0038"


def upgrade() -> None:
    op.get_bind().exec_driver_sql(
        "CREATE TABLE IF NOT EXISTS holder (id INTEGER NOT NULL AUTO_INCREMENT, name VARCHAR(120) NOT NULL, "
        "width_mm DOUBLE NOT NULL, length_mm DOUBLE NOT NULL, play_mm DOUBLE NOT NULL DEFAULT 0, "
        "places JSON NOT NULL DEFAULT '[]', away BOOL NOT NULL DEFAULT 0, version INTEGER NOT NULL DEFAULT 1, "
        "PRIMARY KEY (id), CONSTRAINT uq_holder_name UNIQUE (name))"
    )
