"""Whether a task is lost is told by its silence, not by a moment that a clock has to reach"""

from alembic import op

revision = "0046"
down_revision = "0045"


def upgrade() -> None:
    op.get_bind().exec_driver_sql("ALTER TABLE task DROP COLUMN IF EXISTS lease_until")
