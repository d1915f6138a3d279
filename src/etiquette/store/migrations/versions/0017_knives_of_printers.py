"""A printer's own knife is a cutter in it, with tool cards and offsets of its own; cards that are printed belong to a
printer"""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"

OFFSETS = ("at_once_across_mm", "at_once_along_mm", "after_marks_across_mm", "after_marks_along_mm")
CARD = "kind, name, tool, force_gf, speed_mm_s, overcut_mm, passes, deep_mm, light_mm, light_force_gf, tie_mm"


def upgrade() -> None:
    op.execute("ALTER TABLE cutter ADD COLUMN IF NOT EXISTS printer_id INT NULL REFERENCES printer (id)")
    op.execute("CREATE UNIQUE INDEX IF NOT EXISTS uq_cutter_printer_id ON cutter (printer_id)")
    for name in OFFSETS:
        op.execute(f"ALTER TABLE cutter ADD COLUMN IF NOT EXISTS {name} DOUBLE NOT NULL DEFAULT 0")
    op.execute("ALTER TABLE card_reading ADD COLUMN IF NOT EXISTS printer_id INT NULL REFERENCES printer (id)")
    op.execute("ALTER TABLE card_reading MODIFY cutter_id INT NULL")
    _give_knives(op.get_bind())
    # until now such a card was kept with a cutter, and printed on the first printer
    op.execute(
        "UPDATE card_reading SET printer_id = (SELECT MIN(id) FROM printer), cutter_id = NULL "
        "WHERE card IN ('nozzles', 'two-way') AND printer_id IS NULL AND EXISTS (SELECT id FROM printer)"
    )


def _give_knives(here: sa.Connection) -> None:
    """Every printer with a knife gets the row of it, with the cards that it was cut with until now: those of the first
    cutter, without the offset of that one's blade."""
    held = "SELECT printer_id FROM cutter WHERE printer_id IS NOT NULL"
    without = f"SELECT id, name FROM printer WHERE has_knife AND id NOT IN ({held})"
    first = here.execute(sa.text("SELECT MIN(id) FROM cutter WHERE printer_id IS NULL")).scalar()
    for printer, name in here.execute(sa.text(without)).all():
        here.execute(
            sa.text(
                "INSERT INTO cutter (name, reach_across_mm, reach_along_mm, speed_mm_s, version, printer_id) "
                "SELECT :name, print_width_mm, 10000, 300, 1, id FROM printer WHERE id = :printer"
            ),
            {"name": f"Knife of {name[:111]}", "printer": printer},
        )
        here.execute(
            sa.text(
                f"INSERT INTO tool_card (cutter_id, stock_id, offset_mm, version, tie_every_mm, {CARD}) "
                f"SELECT (SELECT id FROM cutter WHERE printer_id = :printer), stock_id, 0, 1, tie_every_mm, {CARD} "
                "FROM tool_card WHERE cutter_id = :first"
            ),
            {"printer": printer, "first": first},
        )
