"""Tool cards, what is cut and spoiled of a sheet, the log of the Bench, test cards and what they set"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0006"
down_revision = "0005"

ADDED = (
    ("sheet", "progress JSON NULL"),
    ("cutter", "profile VARCHAR(40) NOT NULL DEFAULT 'knife'"),
    ("cutter", "sensor_across_mm DOUBLE NOT NULL DEFAULT 0"),
    ("cutter", "sensor_along_mm DOUBLE NOT NULL DEFAULT 0"),
    ("cutter", "feed_percent DOUBLE NOT NULL DEFAULT 100"),
)


def upgrade() -> None:
    for table, column in ADDED:
        op.execute(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS {column}")
    op.create_table(
        "tool_card",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("cutter_id", sa.Integer(), nullable=False),
        sa.Column("stock_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("tool", sa.String(length=60), nullable=False),
        *(
            sa.Column(name, sa.Double(), nullable=False)
            for name in ("force_gf", "speed_mm_s", "overcut_mm", "offset_mm")
        ),
        sa.Column("passes", sa.Integer(), nullable=False),
        *(
            sa.Column(name, sa.Double(), nullable=False)
            for name in ("deep_mm", "light_mm", "light_force_gf", "tie_mm", "tie_every_mm")
        ),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["cutter_id"], ["cutter.id"], name=op.f("fk_tool_card_cutter_id")),
        sa.ForeignKeyConstraint(["stock_id"], ["stock.id"], name=op.f("fk_tool_card_stock_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_tool_card")),
        sa.UniqueConstraint("cutter_id", "stock_id", "kind", name=op.f("uq_tool_card_cutter_id")),
        if_not_exists=True,
    )
    op.create_table(
        "bench_entry",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("sheet_id", sa.Integer(), nullable=True),
        sa.Column("state", sa.String(length=6), nullable=False),
        sa.Column("words", sa.String(length=400), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["sheet_id"], ["sheet.id"], name=op.f("fk_bench_entry_sheet_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_bench_entry")),
        if_not_exists=True,
    )
    op.create_table(
        "card_reading",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("card", sa.String(length=20), nullable=False),
        sa.Column("cutter_id", sa.Integer(), nullable=False),
        sa.Column("stock_id", sa.Integer(), nullable=True),
        sa.Column("readings", sa.JSON(), nullable=False),
        sa.Column("words", sa.String(length=400), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["cutter_id"], ["cutter.id"], name=op.f("fk_card_reading_cutter_id")),
        sa.ForeignKeyConstraint(["stock_id"], ["stock.id"], name=op.f("fk_card_reading_stock_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_card_reading")),
        if_not_exists=True,
    )
