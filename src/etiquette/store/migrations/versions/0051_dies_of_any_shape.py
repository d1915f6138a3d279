"""A die may have a shape of its own"""

from alembic import op

revision = "0051"
down_revision = "0050"


def upgrade() -> None:
    op.execute("ALTER TABLE die ADD COLUMN IF NOT EXISTS shape JSON NOT NULL DEFAULT '[]'")
