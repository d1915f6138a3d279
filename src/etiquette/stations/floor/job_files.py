"""Files that belong to a job: an order, a letter, a photograph of the place. They are kept and given back, never
opened."""

from collections.abc import Sequence

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.stations.floor.jobs import job_there
from etiquette.stations.shop import Shop
from etiquette.store.models import KeptFile

MOST_FILES = 60
MOST_BYTES = 100 << 20
KEPT_AS = "application/octet-stream"


def keep(shop: Shop, session: Session, job_id: int, files: Sequence[tuple[str, bytes]]) -> None:
    """All of them, or none. Raises NotThere, JobError, DiskFull."""
    job = job_there(session, job_id)
    there = session.scalar(select(func.count()).where(KeptFile.job_id == job.id)) or 0
    if there + len(files) > MOST_FILES:
        raise JobError(f"A job keeps {MOST_FILES} files at most.", job.name, "Pack them into one file first.")
    for name, content in files:
        if not content:
            raise JobError(f"{name} is empty.", job.name, "Look whether it was written to its end.")
        if len(content) > MOST_BYTES:
            raise JobError(
                f"{name} is larger than {MOST_BYTES >> 20} MB.", job.name, "Keep it elsewhere and note where."
            )
        sha = shop.blobs.put(session, content, KEPT_AS)
        session.add(KeptFile(job_id=job.id, name=name, content_sha=sha, size=len(content)))


def file_there(session: Session, job_id: int, file_id: int) -> KeptFile:
    """Raises NotThere."""
    held = session.get(KeptFile, file_id)
    if held is None or held.job_id != job_id:
        raise NotThere("There is no such file.", f"job {job_id}, file {file_id}", "Look at the job again.")
    return held


def files_of(session: Session, job_id: int) -> list[KeptFile]:
    return list(session.scalars(select(KeptFile).where(KeptFile.job_id == job_id).order_by(KeptFile.id)))
