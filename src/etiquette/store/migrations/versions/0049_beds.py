"""Blanks of one bed that are frames of their own are one print, and take their share of its stock"""

from alembic import op

revision = "0049"
down_revision = "0048"


def upgrade() -> None:
    run = op.get_bind().exec_driver_sql
    run("ALTER TABLE sheet ADD COLUMN IF NOT EXISTS bed VARCHAR(80) NULL")
    run("CREATE INDEX IF NOT EXISTS ix_sheet_bed ON sheet (bed)")
    run(
        "ALTER TABLE plate MODIFY COLUMN length_mm DOUBLE GENERATED ALWAYS AS "
        "(coalesce(json_value(summary, '$.plan.takes_mm'), json_value(summary, '$.plan.length_mm'))) STORED"
    )
