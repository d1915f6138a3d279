"""Marks that hands have led the head to, before there are enough for a fit"""

from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.execute("ALTER TABLE sheet ADD COLUMN IF NOT EXISTS pointed JSON NULL")
