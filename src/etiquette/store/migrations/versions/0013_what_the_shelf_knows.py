"""Rolls have a lot, a place and a ledger from the beginning; printers say which plates they lay down and what they call
a stock, cutters which marks they read, modes how a print rests"""

from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    for table, column in (
        ("stock", "names JSON NOT NULL DEFAULT '{}'"),
        ("roll", "lot VARCHAR(60) NOT NULL DEFAULT ''"),
        ("roll", "place VARCHAR(60) NOT NULL DEFAULT ''"),
        ("printer", 'plates JSON NOT NULL DEFAULT \'["colour", "white", "clear"]\''),
        ("printer", "white_goes VARCHAR(6) NOT NULL DEFAULT 'either'"),
        ("cutter", "mark_shapes JSON NOT NULL DEFAULT '[]'"),
        ("print_mode", "touch_dry_minutes DOUBLE NOT NULL DEFAULT 0"),
        ("print_mode", "rest VARCHAR(5) NOT NULL DEFAULT ''"),
    ):
        op.execute(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS {column}")
    # what was on a roll before its first entry, so that every ledger adds up
    op.execute(
        "INSERT IGNORE INTO roll_entry (roll_id, length_mm, reason, reference, at, who) "
        "SELECT roll.id, roll.remaining_mm - COALESCE(SUM(roll_entry.length_mm), 0), 'put on the shelf', "
        "CONCAT('roll ', roll.id), UTC_TIMESTAMP(6), 'the shop' "
        "FROM roll LEFT JOIN roll_entry ON roll_entry.roll_id = roll.id GROUP BY roll.id, roll.remaining_mm"
    )
