"""Cutters have rollers that press on the stock"""

from alembic import op

revision = "0018"
down_revision = "0017"


def upgrade() -> None:
    op.execute("ALTER TABLE cutter ADD COLUMN IF NOT EXISTS rollers JSON NOT NULL DEFAULT '[]'")
    op.execute("ALTER TABLE cutter ADD COLUMN IF NOT EXISTS roller_mm DOUBLE NOT NULL DEFAULT 30")
