"""A printer leaves room behind every frame for cutting it off"""

from alembic import op

revision = "0019"
down_revision = "0018"


def upgrade() -> None:
    op.execute("ALTER TABLE printer ADD COLUMN IF NOT EXISTS sever_mm DOUBLE NOT NULL DEFAULT 0")
