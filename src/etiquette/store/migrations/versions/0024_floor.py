"""Jobs are handed over, and machines want care; lists read columns that the database keeps from the documents"""

from alembic import op

revision = "0024"
down_revision = "0023"
KEPT = {
    "design": {
        "name": "VARCHAR(120) GENERATED ALWAYS AS (left(json_value(document, '$.name'), 120)) STORED",
        "due_count": "INTEGER GENERATED ALWAYS AS (json_value(document, '$.due_count')) STORED",
        "is_ready": "BOOL GENERATED ALWAYS AS (json_value(document, '$.ready') = '1') STORED",
    },
    "run": {
        "name": "VARCHAR(120) GENERATED ALWAYS AS (left(json_value(document, '$.name'), 120)) STORED",
        **{
            one: f"INTEGER GENERATED ALWAYS AS (json_value(document, '$.{one}')) STORED"
            for one in ("printer_id", "cutter_id", "laminator_id", "stock_id", "roll_id", "print_mode_id")
        },
        "way": "VARCHAR(8) GENERATED ALWAYS AS (json_value(document, '$.way')) STORED",
    },
    "plate": {
        "length_mm": "DOUBLE GENERATED ALWAYS AS (json_value(summary, '$.plan.length_mm')) STORED",
        "frame": "INTEGER GENERATED ALWAYS AS (json_value(summary, '$.frame')) STORED",
    },
    "job": {
        "stock_id": "INTEGER NULL, ADD CONSTRAINT fk_job_stock_id FOREIGN KEY (stock_id) REFERENCES stock (id)",
        "spare_count": "INTEGER NOT NULL DEFAULT 0",
        "spare_percent": "DOUBLE NOT NULL DEFAULT 0",
        "closed_at": "DATETIME(6) NULL",
    },
}
TABLES = {
    "handover": """id INTEGER NOT NULL AUTO_INCREMENT, job_id INTEGER NOT NULL, note VARCHAR(400) NOT NULL DEFAULT '',
        at DATETIME(6) NOT NULL, who VARCHAR(120) NOT NULL, PRIMARY KEY (id), KEY ix_handover_job_id (job_id),
        CONSTRAINT fk_handover_job_id FOREIGN KEY (job_id) REFERENCES job (id)""",
    "handover_item": """handover_id INTEGER NOT NULL, design_id INTEGER NOT NULL, count INTEGER NOT NULL,
        PRIMARY KEY (handover_id, design_id), KEY ix_handover_item_design_id (design_id),
        CONSTRAINT fk_handover_item_handover_id FOREIGN KEY (handover_id) REFERENCES handover (id) ON DELETE CASCADE,
        CONSTRAINT fk_handover_item_design_id FOREIGN KEY (design_id) REFERENCES design (id)""",
    "care": """id INTEGER NOT NULL AUTO_INCREMENT, machine_kind VARCHAR(10) NOT NULL, machine_id INTEGER NOT NULL,
        name VARCHAR(120) NOT NULL, every_days DOUBLE NULL, every_metres DOUBLE NULL, idle_hours DOUBLE NULL,
        before_white BOOL NOT NULL DEFAULT 0, last_at DATETIME(6) NOT NULL, last_who VARCHAR(120) NOT NULL,
        away BOOL NOT NULL DEFAULT 0, version INTEGER NOT NULL, PRIMARY KEY (id),
        CONSTRAINT uq_care_machine_kind UNIQUE (machine_kind, machine_id, name)""",
}
INDEXES = {
    "ix_job_open": "job (closed_at, due)",
    "ix_design_name": "design (name)",
    "ix_design_job_ready": "design (job_id, is_ready)",
    "ix_run_name": "run (name)",
    "ix_run_state": "run (state)",
    "ix_sheet_state": "sheet (state, good)",
    "ix_roll_entry_at": "roll_entry (at)",
}


def upgrade() -> None:
    """Each step may have been done by an upgrade that was cut off."""
    there = {(table, column) for table, column in op.get_bind().exec_driver_sql(
        "SELECT table_name, column_name FROM information_schema.columns WHERE table_schema = DATABASE()"
    )}  # fmt: skip
    for table, columns in KEPT.items():
        for name, kind in columns.items():
            if (table, name) not in there:
                op.get_bind().exec_driver_sql(f"ALTER TABLE {table} ADD COLUMN {name} {kind}")
    for table, columns_of in TABLES.items():
        op.get_bind().exec_driver_sql(f"CREATE TABLE IF NOT EXISTS {table} ({columns_of})")
    for index, on in INDEXES.items():
        op.get_bind().exec_driver_sql(f"CREATE INDEX IF NOT EXISTS {index} ON {on}")
