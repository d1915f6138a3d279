"""Jobs have notes, and it is known without reading documents what runs and plates hold of a design"""

from alembic import op

revision = "0023"
down_revision = "0022"
ITEMS = "design_id INTEGER PATH '$.design_id', n INTEGER PATH '$.count'"
PLACED = "design_id INTEGER PATH '$'"
COUNTED = (
    ("run_item", "run", "run_id", "document", "$.items[*]", ITEMS, "SUM(n)"),
    ("plate_item", "plate", "plate_id", "summary", "$.placed[*]", PLACED, "COUNT(*)"),
)


def upgrade() -> None:
    op.execute("ALTER TABLE job ADD COLUMN IF NOT EXISTS notes TEXT NOT NULL DEFAULT ''")
    op.execute("ALTER TABLE job ADD COLUMN IF NOT EXISTS version INTEGER NOT NULL DEFAULT 1")
    for table, of, key, column, path, columns, count in COUNTED:
        op.execute(
            f"CREATE TABLE IF NOT EXISTS {table} ({key} INTEGER NOT NULL, design_id INTEGER NOT NULL, "
            f"count INTEGER NOT NULL, PRIMARY KEY ({key}, design_id), "
            f"KEY ix_{table}_design_id (design_id), "
            f"CONSTRAINT fk_{table}_{key} FOREIGN KEY ({key}) REFERENCES {of} (id) ON DELETE CASCADE)"
        )
        op.execute(
            f"REPLACE INTO {table} ({key}, design_id, count) SELECT {of}.id, found.design_id, {count} FROM {of}, "
            f"JSON_TABLE({of}.{column}, '{path}' COLUMNS ({columns})) AS found GROUP BY {of}.id, found.design_id"
        )
