"""Proofs of jobs, and the customer's yes"""

from alembic import op

revision = "0029"
down_revision = "0028"
PROOF = """CREATE TABLE IF NOT EXISTS proof (
    id INTEGER NOT NULL AUTO_INCREMENT, job_id INTEGER NOT NULL, number INTEGER NOT NULL,
    fingerprint VARCHAR(64) NOT NULL, pdf_sha VARCHAR(64) NOT NULL, at DATETIME(6) NOT NULL, who VARCHAR(120) NOT NULL,
    answer VARCHAR(4) NOT NULL DEFAULT '', answered_at DATETIME(6) NULL, answered_by VARCHAR(120) NOT NULL DEFAULT '',
    note VARCHAR(400) NOT NULL DEFAULT '', PRIMARY KEY (id), CONSTRAINT uq_proof_job_id UNIQUE (job_id, number),
    CONSTRAINT fk_proof_job_id FOREIGN KEY (job_id) REFERENCES job (id) ON DELETE CASCADE,
    CONSTRAINT fk_proof_pdf_sha FOREIGN KEY (pdf_sha) REFERENCES `blob` (sha256))"""


def upgrade() -> None:
    op.get_bind().exec_driver_sql(PROOF)
    op.get_bind().exec_driver_sql("ALTER TABLE job ADD COLUMN IF NOT EXISTS yes VARCHAR(8) NOT NULL DEFAULT ''")
