"""Locks of machines, a counter of prints, keys that tell accents and cases apart"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0007"
down_revision = "0006"

KEYS = (
    ("customer", "name", "VARCHAR(120)"),
    ("frame", "code", "VARCHAR(12)"),
    ("line_result", "`key`", "VARCHAR(64)"),
    ("plate", "`key`", "VARCHAR(64)"),
    ("sheet", "name", "VARCHAR(60)"),
    ("task", "`key`", "VARCHAR(120)"),
)
"""Columns that are compared as keys; blob.sha256 is left out: it holds hexadecimal digits only, and others refer to
it."""


def upgrade() -> None:
    op.create_table(
        "machine",
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("fence", sa.Integer(), nullable=False),
        sa.Column("task_id", sa.Integer(), nullable=True),
        sa.Column("held_for", sa.String(length=200), nullable=False),
        sa.Column("held_until", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("holder", sa.String(length=120), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_machine")),
        if_not_exists=True,
    )
    op.execute("ALTER TABLE frame ADD COLUMN IF NOT EXISTS prints INTEGER NOT NULL DEFAULT 0")
    op.execute(
        "UPDATE frame SET prints = GREATEST(prints, (SELECT COALESCE(MAX(CAST(SUBSTRING_INDEX(sheet.name, '-', -1) "
        "AS UNSIGNED)), 0) "
        "FROM sheet WHERE sheet.name LIKE CONCAT(frame.code, '-%')))"
    )
    op.execute("ALTER TABLE sheet ADD COLUMN IF NOT EXISTS film BOOL NOT NULL DEFAULT 0")
    op.execute("ALTER TABLE sheet ADD COLUMN IF NOT EXISTS `key` VARCHAR(80) NULL")
    op.execute("CREATE UNIQUE INDEX IF NOT EXISTS uq_sheet_key ON sheet (`key`)")
    op.execute("ALTER TABLE stock ADD COLUMN IF NOT EXISTS takes_film BOOL NOT NULL DEFAULT 1")
    op.execute("ALTER TABLE cutter ADD COLUMN IF NOT EXISTS holder VARCHAR(60) NOT NULL DEFAULT ''")
    op.execute("ALTER TABLE customer MODIFY score_means VARCHAR(10) NULL")
    op.execute("ALTER TABLE customer ADD COLUMN IF NOT EXISTS contour_means VARCHAR(10) NULL")
    op.execute("UPDATE sheet SET film = 1 WHERE state IN ('laminated', 'loaded', 'read', 'cut')")
    for table, column, kind in KEYS:
        op.execute(f"ALTER TABLE {table} MODIFY {column} {kind} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL")
