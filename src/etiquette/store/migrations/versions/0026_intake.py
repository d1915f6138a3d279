"""Drop folders, and the orders that come in by themselves"""

from alembic import op

revision = "0026"
down_revision = "0025"
FOLDER = """CREATE TABLE IF NOT EXISTS drop_folder (
    id INTEGER NOT NULL AUTO_INCREMENT, name VARCHAR(120) NOT NULL, path VARCHAR(500) NOT NULL, recipe_id INTEGER NULL,
    pattern VARCHAR(200) NOT NULL DEFAULT '', gather VARCHAR(8) NOT NULL DEFAULT 'each',
    gather_metres DOUBLE NOT NULL DEFAULT 2, gather_hour INTEGER NOT NULL DEFAULT 16, gathered_on DATE NULL,
    problem VARCHAR(300) NOT NULL DEFAULT '', away BOOL NOT NULL DEFAULT 0, version INTEGER NOT NULL, PRIMARY KEY (id),
    CONSTRAINT uq_drop_folder_name UNIQUE (name),
    CONSTRAINT fk_drop_folder_recipe_id FOREIGN KEY (recipe_id) REFERENCES recipe (id) ON DELETE SET NULL)"""
ORDER = """CREATE TABLE IF NOT EXISTS art_order (
    id INTEGER NOT NULL AUTO_INCREMENT, `key` VARCHAR(200) NOT NULL, folder_id INTEGER NULL,
    file_name VARCHAR(255) NOT NULL, recipe JSON NULL, state VARCHAR(10) NOT NULL,
    words VARCHAR(400) NOT NULL DEFAULT '', tries INTEGER NOT NULL DEFAULT 1,
    put_by BOOL NOT NULL DEFAULT 0, job_id INTEGER NULL, designs JSON NOT NULL,
    run_id INTEGER NULL, at DATETIME(6) NOT NULL, PRIMARY KEY (id), CONSTRAINT uq_art_order_key UNIQUE (`key`),
    KEY ix_art_order_folder_state (folder_id, state),
    CONSTRAINT fk_art_order_folder_id FOREIGN KEY (folder_id) REFERENCES drop_folder (id) ON DELETE SET NULL,
    CONSTRAINT fk_art_order_job_id FOREIGN KEY (job_id) REFERENCES job (id) ON DELETE SET NULL,
    CONSTRAINT fk_art_order_run_id FOREIGN KEY (run_id) REFERENCES run (id) ON DELETE SET NULL)"""


def upgrade() -> None:
    for table in (FOLDER, ORDER):
        op.get_bind().exec_driver_sql(table)
