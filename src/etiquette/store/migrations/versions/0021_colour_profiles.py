"""ICC profiles, and how print modes use them"""

from alembic import op

revision = "0021"
down_revision = "0020"


def upgrade() -> None:
    op.execute(
        "CREATE TABLE IF NOT EXISTS colour_profile ("
        "id INTEGER NOT NULL AUTO_INCREMENT PRIMARY KEY, name VARCHAR(120) NOT NULL, "
        "content_sha VARCHAR(64) NOT NULL, description VARCHAR(120) NOT NULL, space VARCHAR(4) NOT NULL, "
        "white_l DOUBLE NOT NULL, white_a DOUBLE NOT NULL, white_b DOUBLE NOT NULL, ink_limit DOUBLE, "
        "away BOOL NOT NULL DEFAULT 0, version INTEGER NOT NULL, "
        "CONSTRAINT uq_colour_profile_name UNIQUE (name), "
        "CONSTRAINT fk_colour_profile_content_sha FOREIGN KEY (content_sha) REFERENCES `blob` (sha256))"
    )
    op.execute("ALTER TABLE print_mode ADD COLUMN IF NOT EXISTS colour_profile_id INTEGER")
    op.execute("ALTER TABLE print_mode ADD COLUMN IF NOT EXISTS intent VARCHAR(10) NOT NULL DEFAULT 'relative'")
    op.execute("ALTER TABLE print_mode ADD COLUMN IF NOT EXISTS black_point BOOL NOT NULL DEFAULT 1")
    op.execute("ALTER TABLE print_mode ADD COLUMN IF NOT EXISTS converts BOOL NOT NULL DEFAULT 0")
    op.execute("ALTER TABLE print_mode ADD COLUMN IF NOT EXISTS keep_black BOOL NOT NULL DEFAULT 1")
    op.execute(
        "ALTER TABLE print_mode ADD FOREIGN KEY IF NOT EXISTS print_mode_colour_profile_id "
        "(colour_profile_id) REFERENCES colour_profile (id)"
    )
