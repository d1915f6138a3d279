"""What stands on the Shelf can be put away; stocks have a thickness"""

from alembic import op

revision = "0011"
down_revision = "0010"

TABLES = ("stock", "roll", "printer", "laminator", "cutter", "tool_card", "mark_set", "print_mode", "ink_colour")


def upgrade() -> None:
    for table in TABLES:
        op.execute(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS away BOOL NOT NULL DEFAULT 0")
    op.execute("ALTER TABLE stock ADD COLUMN IF NOT EXISTS thickness_mm DOUBLE NOT NULL DEFAULT 0")
