"""Orders that may be newer art of an open design"""

from alembic import op

revision = "0030"
down_revision = "0029"


def upgrade() -> None:
    run = op.get_bind().exec_driver_sql
    run("ALTER TABLE art_order ADD COLUMN IF NOT EXISTS newer_of INTEGER NULL")
    run(
        "ALTER TABLE art_order ADD CONSTRAINT fk_art_order_newer_of FOREIGN KEY IF NOT EXISTS (newer_of) "
        "REFERENCES design (id) ON DELETE SET NULL"
    )
