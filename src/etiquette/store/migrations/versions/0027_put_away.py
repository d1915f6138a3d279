"""Jobs, designs and runs can be put away"""

from alembic import op

revision = "0027"
down_revision = "0026"


def upgrade() -> None:
    for table in ("job", "design", "run"):
        op.get_bind().exec_driver_sql(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS away BOOL NOT NULL DEFAULT 0")
