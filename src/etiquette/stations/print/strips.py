"""The colour strip of a print: read from a picture of it, and compared with that of the first print of the same
designs."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from etiquette.core.calibrating.printed_strips import differences
from etiquette.core.errors import JobError
from etiquette.files.documents.plates import PlateSetDocument
from etiquette.files.documents.sheets import StripRead
from etiquette.sandbox.strips import strip_in
from etiquette.stations.print.schemas import PatchDiffers, StripShown
from etiquette.stations.sheets import sheet_there
from etiquette.stations.shop import Shop
from etiquette.store.models import Sheet

ALIKE, SEEN = 2.0, 4.0
"""Mean differences (CIEDE2000) up to which prints look alike side by side, and beyond which anybody sees it (common
practice, no published source; ISO 12647 has tolerances of 2.5 to 5 for solids, from memory)."""
MOST_BYTES = 100 << 20
MOST_LOOKED_AT = 1000
"""Prints with a strip that are looked through for the first of a design."""


def keep_strip(shop: Shop, sheet_id: int, content: bytes, name: str) -> None:
    """Read the strip in a picture of the sheet, and keep what it says with the sheet. Raises JobError, NotThere."""
    plates = shop.database.within(lambda session: _plates_with_strip(session, sheet_id))
    if len(content) > MOST_BYTES:
        raise JobError("The picture is larger than 100 MB.", name, "Take the strip alone.")
    patches = strip_in(content, name, plates)

    def keep(session: Session) -> None:
        sheet_there(session, sheet_id).strip = StripRead(patches=patches)

    shop.database.within(keep)


def _plates_with_strip(session: Session, sheet_id: int) -> PlateSetDocument:
    sheet = sheet_there(session, sheet_id)
    if sheet.printed_at is None:
        raise JobError("This sheet is not printed yet.", sheet.name, "Print it first.")
    if sheet.plate.summary.plan.strip is None:
        raise JobError("This sheet was printed without a colour strip.", sheet.name, "Switch the strip on in Print.")
    return sheet.plate.summary


def strips_shown(session: Session, sheets: Sequence[Sheet]) -> dict[int, StripShown]:
    """Of every one of `sheets` that was printed with a strip, by its number: what was seen of it."""
    with_strip = [one for one in sheets if one.printed_at and one.plate.summary.plan.strip]
    others = _read_before(session) if any(one.strip for one in with_strip) else []
    return {one.id: _shown(one, others) for one in with_strip}


def _read_before(session: Session) -> Sequence[Sheet]:
    """Prints whose strip was read, the first first."""
    read = select(Sheet).where(Sheet.strip_json.is_not(None)).options(joinedload(Sheet.plate))
    # a document that was taken back is JSON's null, which is something to the database
    return [one for one in session.scalars(read.order_by(Sheet.id).limit(MOST_LOOKED_AT)) if one.strip]


def _shown(sheet: Sheet, others: Sequence[Sheet]) -> StripShown:
    """Compared with the first of `others` that has any of the same designs and was printed before it."""
    if sheet.strip is None:
        return StripShown(read=False)
    designs = set(sheet.plate.summary.placed)
    first = next((one for one in others if designs & set(one.plate.summary.placed)), None)
    found = differences(sheet.strip.patches, first.strip.patches) if first and first.strip else []
    if first is None or first.id == sheet.id or not found:
        return StripShown(read=True)
    mean = sum(one.delta for one in found) / len(found)
    return StripShown(
        read=True,
        first=first.name,
        mean=round(mean, 1),
        verdict="good" if mean <= ALIKE else "look" if mean <= SEEN else "stop",
        patches=[PatchDiffers(patch=one.patch, delta=one.delta, lighter=one.lighter) for one in found],
    )
