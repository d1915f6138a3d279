"""Stocks on which ink holds only over primer; plates of primer and of raised ink"""

from alembic import op

revision = "0020"
down_revision = "0019"


def upgrade() -> None:
    op.execute("ALTER TABLE stock ADD COLUMN IF NOT EXISTS primer BOOL NOT NULL DEFAULT 0")
    for name in ("primer_sha", "height_sha"):
        op.execute(f"ALTER TABLE plate ADD COLUMN IF NOT EXISTS {name} VARCHAR(64)")
        op.execute(f"ALTER TABLE plate ADD FOREIGN KEY IF NOT EXISTS plate_{name} ({name}) REFERENCES `blob` (sha256)")
