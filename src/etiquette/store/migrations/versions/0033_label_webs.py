"""Label webs"""

from alembic import op

revision = "0033"
down_revision = "0032"
WEB = """CREATE TABLE IF NOT EXISTS label_web (
    id INTEGER NOT NULL AUTO_INCREMENT, document JSON NOT NULL,
    name VARCHAR(120) GENERATED ALWAYS AS (left(json_value(document, '$.name'), 120)) STORED,
    revision INTEGER NOT NULL, created_at DATETIME(6) NOT NULL, PRIMARY KEY (id), INDEX ix_label_web_name (name))"""
PART = """CREATE TABLE IF NOT EXISTS web_part (
    web_id INTEGER NOT NULL, name VARCHAR(40) NOT NULL, content_sha VARCHAR(64) NOT NULL, `key` VARCHAR(64) NOT NULL,
    PRIMARY KEY (web_id, name),
    CONSTRAINT fk_web_part_web_id FOREIGN KEY (web_id) REFERENCES label_web (id) ON DELETE CASCADE,
    CONSTRAINT fk_web_part_content_sha FOREIGN KEY (content_sha) REFERENCES `blob` (sha256))"""

FINISHER = """CREATE TABLE IF NOT EXISTS finisher (
    id INTEGER NOT NULL AUTO_INCREMENT, name VARCHAR(120) NOT NULL, rules JSON NOT NULL, PRIMARY KEY (id),
    CONSTRAINT uq_finisher_name UNIQUE (name))"""


def upgrade() -> None:
    for statement in (WEB, PART, FINISHER):
        op.get_bind().exec_driver_sql(statement)
