"""Frames that the printer has not severed hang together as one length; a sheet says which roll it is on"""

from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.execute("ALTER TABLE sheet ADD COLUMN IF NOT EXISTS length VARCHAR(80) NULL")
    op.execute("ALTER TABLE sheet ADD COLUMN IF NOT EXISTS roll_id INT NULL REFERENCES roll (id)")
    op.execute("CREATE INDEX IF NOT EXISTS ix_sheet_length ON sheet (length)")
