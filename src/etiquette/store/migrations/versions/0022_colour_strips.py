"""What was seen of the colour strip of a sheet"""

from alembic import op

revision = "0022"
down_revision = "0021"


def upgrade() -> None:
    op.execute("ALTER TABLE sheet ADD COLUMN IF NOT EXISTS `strip` JSON")
