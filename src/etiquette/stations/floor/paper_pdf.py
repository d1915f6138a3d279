"""Papers as PDF: the page that a browser prints, with the shop's own pictures in it and nothing from anywhere else."""

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
