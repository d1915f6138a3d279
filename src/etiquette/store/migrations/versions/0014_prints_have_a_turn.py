"""What waits for a machine can be put earlier or later"""

from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    op.execute("ALTER TABLE task ADD COLUMN IF NOT EXISTS turn DOUBLE NULL")
