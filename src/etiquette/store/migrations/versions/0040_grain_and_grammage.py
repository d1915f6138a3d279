"""Grain and grammage of stocks, passes across the grain"""

from alembic import op

revision = "0040"
down_revision = "0039"


def upgrade() -> None:
    run = op.get_bind().exec_driver_sql
    run("ALTER TABLE stock ADD COLUMN IF NOT EXISTS grammage_g_m2 DOUBLE NOT NULL DEFAULT 0")
    run("ALTER TABLE stock ADD COLUMN IF NOT EXISTS grain VARCHAR(6) NOT NULL DEFAULT ''")
    run("ALTER TABLE tool_card ADD COLUMN IF NOT EXISTS passes_across INTEGER NOT NULL DEFAULT 0")
