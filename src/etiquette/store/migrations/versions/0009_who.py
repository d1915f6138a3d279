"""Who did it: edits, prints, what was booked, what happened at the Bench, cards that were read, tasks"""

from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    for table in ("edit", "sheet", "roll_entry", "bench_entry", "card_reading", "task"):
        op.execute(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS who VARCHAR(120) NOT NULL DEFAULT 'the shop'")
        op.execute(f"ALTER TABLE {table} ALTER COLUMN who DROP DEFAULT")
