"""What is said of braille and raised characters before a run is sent."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.tactile.sizes import ADA_2010
from etiquette.files.documents.runs import RunDocument
from etiquette.stations.designs import DesignState
from etiquette.stations.raised import raised_told_of
from etiquette.stations.runs import RunState
from etiquette.stations.shop import Shop
from etiquette.stations.what_lies import Check
from etiquette.store.models import PrintMode

ON_THE_FRONT = (
    "Braille goes on the front and is not sent with the rest: save its plate, and print it when the stock is turned "
    "over its long edge"
)


def tactile_checks(shop: Shop, session: Session, state: RunState) -> list[Check]:
    """Whether dots lie on their signs, what builds them up, and that somebody has to read them."""
    signs = [one for one in state.designs.values() if one.document.braille]
    if not signs:
        return []
    found = [check for one in signs for check in _placed(shop, one)]
    if any(one.document.second_surface for one in state.designs.values()):
        found.append(Check("look", ON_THE_FRONT))
    mode = tactile_mode(session, state.document)
    if mode is None:
        found.append(Check("look", "No print mode for braille is on the Shelf: it is built up in the mode of the run"))
    else:
        found.append(Check("good", f"Braille is built up in {mode.name}: {mode.passes} passes"))
    names = ", ".join(one.document.name for one in signs)
    return [*found, Check("look", f"Braille on {names}: has a reader of braille proofed it?")]


def _placed(shop: Shop, design: DesignState) -> list[Check]:
    held, width, height = design.document.braille, design.document.width_mm, design.height_mm
    if held is None or width is None or height is None:
        return []
    x0, y0, x1, y1 = held.box
    name = design.document.name
    if x0 < 0 or y0 < 0 or x1 > width or y1 > height:
        return [Check("stop", f"The braille of {name} reaches off the sign: move it at Lines")]
    told = raised_told_of(shop, design) if held.sizes == ADA_2010.key else []
    more = f", and {len(told) - 1} more at Lines" if len(told) > 1 else ""
    return [Check("look", f"{name}: {told[0].words.removesuffix('.')}{more}")] if told else []


def tactile_mode(session: Session, document: RunDocument) -> PrintMode | None:
    """The mode that builds up braille on the stock of a run: the Shelf says which, no run chooses it."""
    wanted = select(PrintMode).where(
        PrintMode.stock_id == document.stock_id,
        PrintMode.printer_id == document.printer_id,
        PrintMode.tactile,
        ~PrintMode.away,
    )
    return session.scalar(wanted.order_by(PrintMode.id).limit(1))
