"""Machines have addresses, any number of them; a task names the machine it moves, a sheet the cutter it lies on"""

from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    for table, column in (
        ("printer", "address VARCHAR(300) NOT NULL DEFAULT ''"),
        ("printer", "certificate VARCHAR(64) NOT NULL DEFAULT ''"),
        ("printer", "simulated BOOL NOT NULL DEFAULT 0"),
        ("laminator", "simulated BOOL NOT NULL DEFAULT 0"),
        ("cutter", "address VARCHAR(300) NOT NULL DEFAULT ''"),
        ("cutter", "confirm VARCHAR(4) NOT NULL DEFAULT 'oa'"),
        ("cutter", "eye VARCHAR(300) NOT NULL DEFAULT ''"),
        ("cutter", "table_eye VARCHAR(300) NOT NULL DEFAULT ''"),
        ("cutter", "board JSON NULL"),
        ("cutter", "simulated BOOL NOT NULL DEFAULT 0"),
        ("task", "machine VARCHAR(60) NOT NULL DEFAULT ''"),
        ("machine", "label VARCHAR(120) NOT NULL DEFAULT ''"),
        ("sheet", "cutter_id INTEGER NULL"),
    ):
        op.execute(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS {column}")
    key = "fk_sheet_cutter_id FOREIGN KEY IF NOT EXISTS (cutter_id) REFERENCES cutter (id)"
    op.execute(f"ALTER TABLE sheet ADD CONSTRAINT {key}")
    # there was one of each kind, held by the name of its kind
    op.execute("DELETE FROM machine")
