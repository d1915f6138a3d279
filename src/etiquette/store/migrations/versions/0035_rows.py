"""Tables of rows, and fonts of the shop's own"""

from alembic import op

revision = "0035"
down_revision = "0034"


def upgrade() -> None:
    connection = op.get_bind()
    connection.exec_driver_sql(
        "CREATE TABLE IF NOT EXISTS data_table (id INTEGER NOT NULL AUTO_INCREMENT, job_id INTEGER NULL, "
        "file_name VARCHAR(200) NOT NULL, source_sha VARCHAR(64) NOT NULL, rows_sha VARCHAR(64) NOT NULL, "
        "note JSON NOT NULL, created_at DATETIME(6) NOT NULL, PRIMARY KEY (id), "
        "CONSTRAINT fk_data_table_job_id_job FOREIGN KEY(job_id) REFERENCES job (id) ON DELETE SET NULL, "
        "CONSTRAINT fk_data_table_source_sha_blob FOREIGN KEY(source_sha) REFERENCES `blob` (sha256), "
        "CONSTRAINT fk_data_table_rows_sha_blob FOREIGN KEY(rows_sha) REFERENCES `blob` (sha256), "
        "INDEX ix_data_table_job_id (job_id))"
    )
    connection.exec_driver_sql(
        "CREATE TABLE IF NOT EXISTS shop_font (id INTEGER NOT NULL AUTO_INCREMENT, name VARCHAR(80) NOT NULL, "
        "content_sha VARCHAR(64) NOT NULL, PRIMARY KEY (id), CONSTRAINT uq_shop_font_name UNIQUE (name), "
        "CONSTRAINT fk_shop_font_content_sha_blob FOREIGN KEY(content_sha) REFERENCES `blob` (sha256))"
    )
