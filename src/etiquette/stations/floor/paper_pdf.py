"""Papers as PDF: the page that a browser prints, laid out by WeasyPrint, with the shop's own pictures and nothing from
anywhere else."""

import re
from base64 import b64encode

from sqlalchemy.orm import Session

from etiquette.stations.shop import Shop
from etiquette.store.models import Art, Design

PICTURE = re.compile(r'src="/api/designs/(\d{1,9})/thumb"')


def with_pictures(shop: Shop, session: Session, page: str) -> str:
    """The page with the pictures of its designs in it, instead of their addresses."""

    def within_it(found: re.Match[str]) -> str:
        design = session.get(Design, int(found[1]))
        art = session.get(Art, design.document_json.get("art_id")) if design else None
        held = b64encode(shop.blobs.read(art.thumb_sha)).decode() if art else ""
        return f'src="data:image/png;base64,{held}"'

    return PICTURE.sub(within_it, page)


def pdf_of(page: str) -> bytes:
    """The page, its pictures in it, as PDF."""
    from weasyprint import HTML  # brings a layout engine along: only where a paper is made
    from weasyprint.urls import URLFetcher

    made: bytes = HTML(string=page, url_fetcher=URLFetcher(allowed_protocols={"data"})).write_pdf()
    return made
