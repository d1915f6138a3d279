"""Special inks, and further plates"""

from alembic import op

revision = "0041"
down_revision = "0040"


def upgrade() -> None:
    run = op.get_bind().exec_driver_sql
    run(
        "CREATE TABLE IF NOT EXISTS special_ink (id INTEGER NOT NULL AUTO_INCREMENT, name VARCHAR(60) NOT NULL, "
        "cyan DOUBLE NOT NULL, magenta DOUBLE NOT NULL, yellow DOUBLE NOT NULL, black DOUBLE NOT NULL, "
        "goes VARCHAR(6) NOT NULL DEFAULT 'behind', printer_id INTEGER, away BOOL NOT NULL DEFAULT 0, "
        "version INTEGER NOT NULL DEFAULT 1, PRIMARY KEY (id), CONSTRAINT uq_special_ink_name UNIQUE (name), "
        "CONSTRAINT fk_special_ink_printer_id_printer FOREIGN KEY (printer_id) REFERENCES printer (id))"
    )
    run(
        "CREATE TABLE IF NOT EXISTS more_plate (id INTEGER NOT NULL AUTO_INCREMENT, plate_id INTEGER NOT NULL, "
        "name VARCHAR(60) NOT NULL, sha VARCHAR(64) NOT NULL, PRIMARY KEY (id), "
        "CONSTRAINT uq_more_plate_plate_id UNIQUE (plate_id, name), "
        "CONSTRAINT fk_more_plate_plate_id_plate FOREIGN KEY (plate_id) REFERENCES plate (id) ON DELETE CASCADE, "
        "CONSTRAINT fk_more_plate_sha_blob FOREIGN KEY (sha) REFERENCES `blob` (sha256))"
    )
    run("ALTER TABLE line_result ADD COLUMN IF NOT EXISTS specials_sha VARCHAR(64)")
    run(
        "ALTER TABLE line_result ADD CONSTRAINT fk_line_result_specials_sha_blob "
        "FOREIGN KEY IF NOT EXISTS (specials_sha) REFERENCES `blob` (sha256)"
    )
