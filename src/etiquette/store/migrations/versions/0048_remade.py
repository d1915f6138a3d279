"""Which run makes again what is spoiled on a sheet, where it began by itself"""

from alembic import op

revision = "0048"
down_revision = "0047"


def upgrade() -> None:
    run = op.get_bind().exec_driver_sql
    run("ALTER TABLE sheet ADD COLUMN IF NOT EXISTS remade_run_id INTEGER NULL")
    run(
        "ALTER TABLE sheet ADD CONSTRAINT fk_sheet_remade_run_id_run FOREIGN KEY IF NOT EXISTS (remade_run_id) "
        "REFERENCES run (id) ON DELETE SET NULL"
    )
