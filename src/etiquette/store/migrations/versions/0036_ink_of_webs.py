"""The ink of label webs"""

from alembic import op

revision = "0036"
down_revision = "0035"


def upgrade() -> None:
    op.get_bind().exec_driver_sql("ALTER TABLE label_web ADD COLUMN IF NOT EXISTS inks JSON NULL")
