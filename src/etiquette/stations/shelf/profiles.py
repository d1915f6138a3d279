"""ICC profiles on the Shelf: taken in as files, read behind the door before any row names them."""

from pathlib import PurePath
from typing import Any

from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.core.printing.profiles import ProfileFacts
from etiquette.sandbox.profiles import facts_of
from etiquette.stations.shelf.filling import free_name
from etiquette.stations.shop import Shop
from etiquette.store.models import ColourProfile

MOST_BYTES = 30 << 20
"""Ten times the largest profile in use."""
MEDIA_TYPE = "application/vnd.iccprofile"


def take(shop: Shop, content: bytes, name: str, instead_of: int | None = None) -> int:
    """Keep the profile in `content`: a new one, called as it calls itself, or the newer one of `instead_of`. Returns
    its number. Raises JobError, NotThere."""
    if len(content) > MOST_BYTES:
        raise JobError(f"The file has more than {MOST_BYTES >> 20} MB.", name, "Choose an ICC profile.")
    facts = facts_of(content, name)

    def keep(session: Session) -> int:
        row = profile_there(session, instead_of) if instead_of else ColourProfile()
        if not instead_of:
            row.name = free_name(session, ColourProfile, facts.description or PurePath(name).stem.strip() or "Profile")
        for column, value in as_row(shop, session, content, facts).items():
            setattr(row, column, value)
        session.add(row)
        session.flush()
        return row.id

    return shop.database.within(keep)


def as_row(shop: Shop, session: Session, content: bytes, facts: ProfileFacts) -> dict[str, Any]:
    """The columns of a profile that come of its file, which is kept."""
    return {
        "content_sha": shop.blobs.put(session, content, MEDIA_TYPE),
        "description": facts.description,
        "space": facts.space,
        "ink_limit": facts.ink_limit,
        **dict(zip(("white_l", "white_a", "white_b"), facts.white, strict=True)),
    }


def profile_there(session: Session, row_id: int) -> ColourProfile:
    """Raises NotThere."""
    row = session.get(ColourProfile, row_id, with_for_update=True)
    if row is None:
        raise NotThere("There is no such profile.", f"profile {row_id}", "Open the Shelf again.")
    return row
