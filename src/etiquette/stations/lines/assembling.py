"""The picture by which tiles are put together: as a page, as a picture, and kept with the job."""

from pathlib import Path
from tempfile import NamedTemporaryFile

from sqlalchemy import delete
from sqlalchemy.orm import Session

from etiquette.sandbox.drawing import part_of_file
from etiquette.sandbox.papers import pdf_of
from etiquette.stations.lines.tiles_views import assembly_drawn
from etiquette.stations.shop import Shop
from etiquette.store.models import KeptFile

PICTURE_DPI = 150
WHOLE_MM = (0.0, 0.0, 10_000.0, 10_000.0)
"""More than any paper: no more than the page is drawn."""


def assembly_pdf(shop: Shop, design_id: int) -> bytes:
    """Raises NotThere, JobError."""
    state, page = shop.database.within(lambda session: assembly_drawn(shop, session, design_id))
    return pdf_of(page, f"{state.document.name}, assembly")


def assembly_png(shop: Shop, design_id: int) -> bytes:
    """Raises NotThere, JobError."""
    with NamedTemporaryFile(prefix="etq-assembly-", suffix=".pdf") as file:
        file.write(assembly_pdf(shop, design_id))
        file.flush()
        return part_of_file(Path(file.name), WHOLE_MM, PICTURE_DPI)


def pin(shop: Shop, design_id: int) -> None:
    """Keep the page with the job, in the place of the one of this design before. Raises NotThere, JobError."""
    state, page = shop.database.within(lambda session: assembly_drawn(shop, session, design_id))
    name = f"{state.document.name[:180]}, assembly.pdf"
    content = pdf_of(page, name)

    def keep(session: Session) -> None:
        job = state.design.job_id
        session.execute(delete(KeptFile).where(KeptFile.job_id == job, KeptFile.name == name))
        sha = shop.blobs.put(session, content, "application/octet-stream")
        session.add(KeptFile(job_id=job, name=name, content_sha=sha, size=len(content)))

    shop.database.within(keep)
