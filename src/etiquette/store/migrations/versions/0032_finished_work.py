"""Finished work that was cleared"""

from alembic import op

revision = "0032"
down_revision = "0031"


def upgrade() -> None:
    for table in ("job", "art", "plate"):
        op.get_bind().exec_driver_sql(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS cleared_at DATETIME(6) NULL")
