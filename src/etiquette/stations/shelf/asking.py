"""A machine is asked who it is: what answers at its address is shown, remembered, and from then on expected there."""

from dataclasses import replace

from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.devices.contracts import Identity, Loaded, Status
from etiquette.devices.nearby import Nearby, nearby
from etiquette.devices.reasons import in_words
from etiquette.stations.machines import CutterHere, PrinterHere, cutter_here, printer_here
from etiquette.stations.shelf.schemas import LoadedThere, WhoAnswered
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Printer


def look_round() -> list[Nearby]:
    """What could be put on the Shelf: printers that announce themselves, ports of this computer. Nothing is asked."""
    return nearby()


def ask(shop: Shop, kind: str, row_id: int) -> WhoAnswered:
    """Nothing moves, and nothing is printed. Raises NotThere, JobError when nobody answers, Busy while the machine
    works."""
    found = shop.database.within(lambda session: _machine(session, kind, row_id))
    with shop.by_hand(found, "it is being asked who it is"):
        if isinstance(found, PrinterHere):
            driver = replace(found, certificate="").driver()  # whoever is there now is taken for the machine
            who, status, loaded = driver.identity(), driver.status(), driver.loaded()
            shop.database.within(lambda session: found.remember(session, who))
            return _told(who, status, loaded)
        with found.line(shop) as line:
            who = line.identity()
            status = line.status() if "OE" in who.understands else Status("unknown")
            line.refuse_other_scale()
    shop.database.within(lambda session: _confirm(session, found, who))
    return _told(who, status, ())


def _machine(session: Session, kind: str, row_id: int) -> PrinterHere | CutterHere:
    row = session.get({"printer": Printer, "cutter": Cutter}.get(kind, Printer), row_id)
    if isinstance(row, Printer):
        return printer_here(row)
    if isinstance(row, Cutter):
        return cutter_here(row)
    raise NotThere("That machine is not on the Shelf any more.", kind, "Choose another one.")


def _confirm(session: Session, cutter: CutterHere, who: Identity) -> None:
    """The question by which a cut is followed: where it is, else how it is; one that answers nothing is watched by the
    clock."""
    asked = "oa" if "OA" in who.understands else "os" if "OS" in who.understands else "none"
    session.get_one(Cutter, cutter.id).confirm = asked


def _told(who: Identity, status: Status, loaded: tuple[Loaded, ...]) -> WhoAnswered:
    return WhoAnswered(
        make=who.make,
        model=who.model,
        id=who.id,
        understands=list(who.understands),
        state=status.state,
        waits=in_words(status.reasons),
        loaded=[LoadedThere(name=one.name, width_mm=one.width_mm, length_mm=one.length_mm) for one in loaded],
    )
