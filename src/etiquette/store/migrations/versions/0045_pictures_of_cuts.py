"""The picture of a cut sheet, which only its report named, is named for the keys too: so it is never taken for one that
nothing needs"""

from alembic import op

revision = "0045"
down_revision = "0044"


def upgrade() -> None:
    op.get_bind().exec_driver_sql(
        "ALTER TABLE sheet ADD COLUMN IF NOT EXISTS picture_sha VARCHAR(64) "
        "GENERATED ALWAYS AS (json_value(report, '$.picture')) PERSISTENT, "
        "ADD CONSTRAINT fk_sheet_picture_sha_blob FOREIGN KEY IF NOT EXISTS (picture_sha) REFERENCES `blob` (sha256)"
    )
