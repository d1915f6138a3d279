"""The film of a job, and files that belong to it"""

from alembic import op

revision = "0031"
down_revision = "0030"


def upgrade() -> None:
    run = op.get_bind().exec_driver_sql
    run("ALTER TABLE job ADD COLUMN IF NOT EXISTS laminator_id INTEGER NULL")
    run("ALTER TABLE job ADD COLUMN IF NOT EXISTS without_film BOOL NOT NULL DEFAULT '0'")
    run(
        "ALTER TABLE job ADD CONSTRAINT fk_job_laminator_id FOREIGN KEY IF NOT EXISTS (laminator_id) "
        "REFERENCES laminator (id)"
    )
    run(
        "CREATE TABLE IF NOT EXISTS kept_file (id INTEGER NOT NULL AUTO_INCREMENT, job_id INTEGER NOT NULL, "
        "name VARCHAR(200) NOT NULL, content_sha VARCHAR(64) NOT NULL, size BIGINT NOT NULL, at DATETIME(6) NOT NULL, "
        "who VARCHAR(120) NOT NULL, PRIMARY KEY (id), "
        "CONSTRAINT fk_kept_file_job_id FOREIGN KEY (job_id) REFERENCES job (id) ON DELETE CASCADE, "
        "CONSTRAINT fk_kept_file_content_sha FOREIGN KEY (content_sha) REFERENCES `blob` (sha256))"
    )
