"""Art says whether its size is known, so that no view names one that is not in the file"""

from alembic import op

revision = "0050"
down_revision = "0049"


def upgrade() -> None:
    op.execute("ALTER TABLE art ADD COLUMN IF NOT EXISTS size_known BOOL NOT NULL DEFAULT 1")
