"""Art by itself: a design names its art in its document, so that a newer file is an edit; line rules"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0002"
down_revision = "0001"

MOMENT = sa.DateTime().with_variant(mysql.DATETIME(fsp=6), "mariadb").with_variant(mysql.DATETIME(fsp=6), "mysql")
SHA = sa.String(length=64)


def upgrade() -> None:
    op.create_table(
        "art",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("form", sa.String(length=10), nullable=False),
        sa.Column("file_name", sa.String(length=200), nullable=False),
        sa.Column("page", sa.Integer(), nullable=False),
        sa.Column("content_sha", SHA, nullable=False),
        sa.Column("picture_sha", SHA, nullable=False),
        sa.Column("thumb_sha", SHA, nullable=False),
        sa.Column("vectors_sha", SHA, nullable=True),
        sa.Column("width_px", sa.Integer(), nullable=False),
        sa.Column("height_px", sa.Integer(), nullable=False),
        sa.Column("natural_width_mm", sa.Double(), nullable=True),
        sa.Column("natural_height_mm", sa.Double(), nullable=True),
        sa.Column("created_at", MOMENT, nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_art")),
        *(
            sa.ForeignKeyConstraint([f"{name}_sha"], ["blob.sha256"], name=op.f(f"fk_art_{name}_sha"))
            for name in ("content", "picture", "thumb", "vectors")
        ),
        if_not_exists=True,
    )
    op.create_table(
        "line_rules",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("rules", sa.JSON(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_line_rules")),
        if_not_exists=True,
    )
    for name in ("print_sha", "print_picture_sha", "under_sha", "areas_sha"):
        op.execute(f"ALTER TABLE line_result ADD COLUMN IF NOT EXISTS {name} VARCHAR(64) NULL")
        op.execute(
            f"ALTER TABLE line_result ADD CONSTRAINT fk_line_result_{name} "
            f"FOREIGN KEY IF NOT EXISTS ({name}) REFERENCES `blob` (sha256)"
        )
    columns = {column["name"] for column in sa.inspect(op.get_bind()).get_columns("design")}
    if "art_sha" in columns:
        op.execute(
            "INSERT IGNORE INTO art (id, form, file_name, page, content_sha, picture_sha, thumb_sha, width_px, "
            "height_px, created_at) "
            "SELECT id, 'picture', file_name, 0, art_sha, picture_sha, thumb_sha, width_px, height_px, created_at "
            "FROM design"
        )
        op.execute("UPDATE design SET document = JSON_SET(document, '$.art_id', id)")
    for name in ("art_sha", "picture_sha", "thumb_sha"):
        op.execute(f"ALTER TABLE design DROP FOREIGN KEY IF EXISTS fk_design_{name}")
        op.execute(f"ALTER TABLE design DROP INDEX IF EXISTS fk_design_{name}")
        op.execute(f"ALTER TABLE design DROP COLUMN IF EXISTS {name}")
    for name in ("file_name", "width_px", "height_px"):
        op.execute(f"ALTER TABLE design DROP COLUMN IF EXISTS {name}")
