"""Plates of braille"""

from alembic import op

revision = "0038"
down_revision = "0037"


def upgrade() -> None:
    op.execute("ALTER TABLE plate ADD COLUMN IF NOT EXISTS braille_sha VARCHAR(64)")
    op.execute(
        "ALTER TABLE plate ADD FOREIGN KEY IF NOT EXISTS plate_braille_sha (braille_sha) REFERENCES `blob` (sha256)"
    )
