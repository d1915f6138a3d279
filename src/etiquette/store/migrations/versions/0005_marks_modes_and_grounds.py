"""Mark sets of other shapes, printers with modes, grounds of stocks, when a sheet was printed"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"

ADDED = (
    ("mark_set", "shape VARCHAR(12) NOT NULL DEFAULT 'disc'"),
    ("mark_set", "stroke_mm DOUBLE NOT NULL DEFAULT 1"),
    ("mark_set", "count VARCHAR(6) NOT NULL DEFAULT 'more'"),
    ("mark_set", "place VARCHAR(6) NOT NULL DEFAULT 'work'"),
    ("mark_set", "inset_mm DOUBLE NOT NULL DEFAULT 15"),
    ("mark_set", "code VARCHAR(14) NOT NULL DEFAULT 'data matrix'"),
    ("mark_set", "ink VARCHAR(8) NOT NULL DEFAULT 'black'"),
    ("cutter", "edge_mm DOUBLE NOT NULL DEFAULT 0"),
    ("printer", "dpi DOUBLE NOT NULL DEFAULT 150"),
    ("printer", "machine VARCHAR(60) NOT NULL DEFAULT ''"),
    ("printer", "ink_price_ml DECIMAL(12,4) NOT NULL DEFAULT 0.2"),
    ("printer", "severs BOOL NOT NULL DEFAULT 0"),
    ("printer", "has_knife BOOL NOT NULL DEFAULT 0"),
    ("laminator", "film_price_m2 DECIMAL(12,4) NOT NULL DEFAULT 1.5"),
    ("stock", "ground VARCHAR(6) NOT NULL DEFAULT 'white'"),
    ("sheet", "printed_at DATETIME(6) NULL"),
)


def upgrade() -> None:
    op.execute("ALTER TABLE mark_set CHANGE COLUMN IF EXISTS diameter_mm size_mm DOUBLE NOT NULL")
    for table, column in ADDED:
        op.execute(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS {column}")
    op.create_table(
        "print_mode",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("stock_id", sa.Integer(), nullable=False),
        sa.Column("printer_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("dpi", sa.Double(), nullable=False),
        sa.Column("passes", sa.Integer(), nullable=False),
        sa.Column("two_way", sa.Boolean(), nullable=False),
        *(sa.Column(name, sa.Double(), nullable=False) for name in ("m2_per_hour", "ink_ml_m2", "drying_minutes")),
        sa.Column("profile", sa.String(length=80), server_default="", nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["stock_id"], ["stock.id"], name=op.f("fk_print_mode_stock_id")),
        sa.ForeignKeyConstraint(["printer_id"], ["printer.id"], name=op.f("fk_print_mode_printer_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_print_mode")),
        sa.UniqueConstraint("stock_id", "printer_id", "name", name=op.f("uq_print_mode_stock_id")),
        if_not_exists=True,
    )
