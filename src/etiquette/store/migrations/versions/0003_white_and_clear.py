"""White and clear: their areas of a design and plates of a run; the shop's colours; what is remembered of customers"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.create_table(
        "customer",
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("score_means", sa.String(length=10), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_customer")),
        if_not_exists=True,
    )
    op.create_table(
        "ink_colour",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        *(sa.Column(ink, sa.Double(), nullable=False) for ink in ("cyan", "magenta", "yellow", "black")),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_ink_colour")),
        sa.UniqueConstraint("name", name=op.f("uq_ink_colour_name")),
        if_not_exists=True,
    )
    for table in ("line_result", "plate"):
        for name in ("white_sha", "clear_sha"):
            op.execute(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS {name} VARCHAR(64) NULL")
            op.execute(
                f"ALTER TABLE {table} ADD CONSTRAINT fk_{table}_{name} "
                f"FOREIGN KEY IF NOT EXISTS ({name}) REFERENCES `blob` (sha256)"
            )
