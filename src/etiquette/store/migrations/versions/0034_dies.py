"""Dies"""

from alembic import op

revision = "0034"
down_revision = "0033"


def upgrade() -> None:
    op.get_bind().exec_driver_sql(
        "CREATE TABLE IF NOT EXISTS die (id INTEGER NOT NULL AUTO_INCREMENT, name VARCHAR(120) NOT NULL, "
        "figures JSON NOT NULL, PRIMARY KEY (id), CONSTRAINT uq_die_name UNIQUE (name))"
    )
