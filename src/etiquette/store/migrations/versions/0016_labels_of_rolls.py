"""A roll has a code that its label shows; a printer knows which roll was put on it, when its label was scanned"""

import secrets

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"

PLAIN, LENGTH = "23456789ABCDEFGHJKMNPQRSTVWXYZ", 6
"""As new codes were made when this was written."""


def upgrade() -> None:
    op.execute("ALTER TABLE printer ADD COLUMN IF NOT EXISTS roll_id INT NULL REFERENCES roll (id)")
    op.execute("ALTER TABLE roll ADD COLUMN IF NOT EXISTS code VARCHAR(6) NULL")
    here = op.get_bind()
    for (roll,) in here.execute(sa.text("SELECT id FROM roll WHERE code IS NULL")).all():
        code = "".join(secrets.choice(PLAIN) for _ in range(LENGTH))
        here.execute(sa.text("UPDATE roll SET code = :code WHERE id = :roll"), {"code": code, "roll": roll})
    op.execute("ALTER TABLE roll MODIFY code VARCHAR(6) NOT NULL")
    op.execute("CREATE UNIQUE INDEX IF NOT EXISTS uq_roll_code ON roll (code)")
