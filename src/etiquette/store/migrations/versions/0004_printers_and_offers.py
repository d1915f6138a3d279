"""Printers and laminators with their widths; a better layout offered to a run"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    for table, width in (("printer", "print_width_mm"), ("laminator", "film_width_mm")):
        op.create_table(
            table,
            sa.Column("id", sa.Integer(), nullable=False),
            sa.Column("name", sa.String(length=120), nullable=False),
            sa.Column(width, sa.Double(), nullable=False),
            sa.Column("version", sa.Integer(), nullable=False),
            sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{table}")),
            sa.UniqueConstraint("name", name=op.f(f"uq_{table}_name")),
            if_not_exists=True,
        )
    op.execute("ALTER TABLE run ADD COLUMN IF NOT EXISTS offer JSON NULL")
