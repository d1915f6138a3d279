"""Force across the grain, ink that cannot bend, modes for braille"""

from alembic import op

revision = "0042"
down_revision = "0041"


def upgrade() -> None:
    run = op.get_bind().exec_driver_sql
    run("ALTER TABLE tool_card ADD COLUMN IF NOT EXISTS force_across_gf DOUBLE NOT NULL DEFAULT 0")
    run("ALTER TABLE printer ADD COLUMN IF NOT EXISTS ink_bends BOOL NOT NULL DEFAULT 1")
    run("ALTER TABLE print_mode ADD COLUMN IF NOT EXISTS tactile BOOL NOT NULL DEFAULT 0")
