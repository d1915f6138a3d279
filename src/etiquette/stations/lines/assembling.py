"""The picture by which tiles are put together: as a page, as a picture, and kept with the job."""

from io import BytesIO

from sqlalchemy import delete
from sqlalchemy.orm import Session

from etiquette.sandbox.papers import pdf_of
from etiquette.stations.lines.tiles_views import assembly_drawn
from etiquette.stations.shop import Shop
from etiquette.store.models import KeptFile

PICTURE_DPI = 150


def assembly_pdf(shop: Shop, design_id: int) -> bytes:
    """Raises NotThere, JobError."""
    state, page = shop.database.within(lambda session: assembly_drawn(shop, session, design_id))
    return pdf_of(page, f"{state.document.name}, assembly")


def assembly_png(shop: Shop, design_id: int) -> bytes:
    """Raises NotThere, JobError."""
    import pypdfium2

    document = pypdfium2.PdfDocument(assembly_pdf(shop, design_id))
    out = BytesIO()
    document[0].render(scale=PICTURE_DPI / 72).to_pil().save(out, "PNG")
    document.close()
    return out.getvalue()


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
