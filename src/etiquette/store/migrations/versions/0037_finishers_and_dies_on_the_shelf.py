"""What finishers ask and what dies are stand on the Shelf, value by value"""

from alembic import op

revision = "0037"
down_revision = "0036"

RANGES = ("width_mm", "height_mm", "left_mm", "bottom_mm")
LENGTHS = ("right_of_mark_mm", "right_free_mm", "top_free_mm", "longest_repeat_mm")
FIGURES = {
    "label_width_mm": ("DOUBLE", "$.label.width_mm"),
    "label_height_mm": ("DOUBLE", "$.label.height_mm"),
    "corner_mm": ("DOUBLE", "$.label.corner_mm"),
    "columns": ("INTEGER", "$.columns"),
    "rows": ("INTEGER", "$.rows"),
    "gap_across_mm": ("DOUBLE", "$.gap_across_mm"),
    "gap_along_mm": ("DOUBLE", "$.gap_along_mm"),
}


def upgrade() -> None:
    run = op.get_bind().exec_driver_sql
    for table in ("finisher", "die"):
        run(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS away BOOL NOT NULL DEFAULT 0")
        run(f"ALTER TABLE {table} ADD COLUMN IF NOT EXISTS version INTEGER NOT NULL DEFAULT 1")
    for name in RANGES:
        run(f"ALTER TABLE finisher ADD COLUMN IF NOT EXISTS {name} JSON NOT NULL DEFAULT '[]'")
    run("ALTER TABLE finisher ADD COLUMN IF NOT EXISTS bottom_from VARCHAR(10) NOT NULL DEFAULT 'bottom'")
    run("ALTER TABLE finisher ADD COLUMN IF NOT EXISTS not_below_mark BOOL NOT NULL DEFAULT 0")
    for name in LENGTHS:
        run(f"ALTER TABLE finisher ADD COLUMN IF NOT EXISTS {name} DOUBLE NULL")
    for name, (kind, _) in FIGURES.items():
        run(f"ALTER TABLE die ADD COLUMN IF NOT EXISTS `{name}` {kind} NOT NULL DEFAULT 0")
    if _has("finisher", "rules"):
        ranges = [f"{name} = IF(JSON_TYPE(JSON_EXTRACT(rules, '$.{name}')) = 'ARRAY', "
                  f"JSON_EXTRACT(rules, '$.{name}'), '[]')" for name in RANGES]  # fmt: skip
        lengths = [f"{name} = JSON_VALUE(rules, '$.{name}')" for name in LENGTHS]
        rest = ["bottom_from = COALESCE(JSON_VALUE(rules, '$.bottom_from'), 'bottom')",
                "not_below_mark = COALESCE(JSON_VALUE(rules, '$.not_below_mark') = 1, 0)"]  # fmt: skip
        run(f"UPDATE finisher SET {', '.join([*ranges, *lengths, *rest])}")
        run("ALTER TABLE finisher DROP COLUMN IF EXISTS rules")
    if _has("die", "figures"):
        figures = [f"`{name}` = COALESCE(JSON_VALUE(figures, '{path}'), 0)" for name, (_, path) in FIGURES.items()]
        run(f"UPDATE die SET {', '.join(figures)}")
        run("ALTER TABLE die DROP COLUMN IF EXISTS figures")


def _has(table: str, column: str) -> bool:
    found = op.get_bind().exec_driver_sql(
        "SELECT COUNT(*) FROM information_schema.columns "
        f"WHERE table_schema = DATABASE() AND table_name = '{table}' AND column_name = '{column}'"
    )
    return bool(found.scalar())
