"""Prices of the shop, and steps by hand of a job"""

from alembic import op

revision = "0028"
down_revision = "0027"
PRICES = """CREATE TABLE IF NOT EXISTS shop_price (
    id INTEGER NOT NULL, hour_hands NUMERIC(12, 4) NOT NULL DEFAULT 0, hour_printer NUMERIC(12, 4) NOT NULL DEFAULT 0,
    hour_cutter NUMERIC(12, 4) NOT NULL DEFAULT 0, run_minutes DOUBLE NOT NULL DEFAULT 0,
    frame_minutes DOUBLE NOT NULL DEFAULT 0, margin_percent DOUBLE NOT NULL DEFAULT 0, version INTEGER NOT NULL,
    PRIMARY KEY (id))"""


def upgrade() -> None:
    op.get_bind().exec_driver_sql(PRICES)
    op.get_bind().exec_driver_sql("ALTER TABLE job ADD COLUMN IF NOT EXISTS hand_steps JSON NULL")
