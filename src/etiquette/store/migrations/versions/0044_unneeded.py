"""Since when nothing needs a file, lines that were found, a plate set"""

from alembic import op

revision = "0044"
down_revision = "0043"


def upgrade() -> None:
    for table in ("blob", "line_result", "plate"):
        op.get_bind().exec_driver_sql(f"ALTER TABLE `{table}` ADD COLUMN IF NOT EXISTS unneeded_since DATETIME(6) NULL")
