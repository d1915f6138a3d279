"""The outline of a design beside its lines, so that a run is shown without reading them"""

from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.execute("ALTER TABLE line_result ADD COLUMN IF NOT EXISTS outline MEDIUMBLOB NULL")
