"""When what is spoiled on a sheet is made again, if its job is late"""

from alembic import op

revision = "0047"
down_revision = "0046"


def upgrade() -> None:
    op.get_bind().exec_driver_sql("ALTER TABLE sheet ADD COLUMN IF NOT EXISTS remake_at DATETIME(6) NULL")
