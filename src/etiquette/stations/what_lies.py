"""What the printer of a run says of itself and of what lies on it, beside what the run wants: asked while it is
planned, and before it is sent."""

from dataclasses import dataclass
from typing import Literal

from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.devices.contracts import Identity, Loaded, Status
from etiquette.devices.reasons import in_words, stops
from etiquette.stations import runs
from etiquette.stations.machines import PrinterHere, names_at, printer_of_run
from etiquette.stations.run_rolls import roll_wanted
from etiquette.stations.runs import RunState
from etiquette.stations.shop import Shop
from etiquette.store.models import Printer, Roll

State = Literal["good", "look", "stop"]


@dataclass(frozen=True)
class Check:
    state: State
    words: str
    can_load: bool = False
    """The roll of the run can be put on the printer from here: it is a simulated one."""
    called: str = ""
    """What the printer calls what lies on it, which may be the stock of the run."""
    scanned: bool = False
    """It rests on the label of a roll that was scanned."""
    tool: str = ""
    """What hands have to put into the printer's own knife, and can say is in it."""
    other_roll: int | None = None
    """The roll that lies there by its label, of the stock of the run: it can be printed on that one instead."""
    care: int | None = None
    """Care of the printer that has to be given first, and can be said to be done."""


@dataclass(frozen=True)
class PrinterTold:
    """What a printer said of itself and of what lies on it."""

    who: Identity
    status: Status
    loaded: tuple[Loaded, ...]


def ask_printer(shop: Shop, run_id: int) -> PrinterTold | JobError:
    """What the printer of a run says, or why it does not."""

    def found(session: Session) -> PrinterHere:
        return printer_of_run(session, runs.run_there(session, run_id))

    try:
        driver = shop.database.within(found).driver()
        return PrinterTold(driver.identity(), driver.status(), driver.loaded())
    except JobError as error:
        return error


def of_printer(session: Session, state: RunState, told: PrinterTold | JobError) -> list[Check]:
    """What it said, as far as it bears on the run."""
    if isinstance(told, JobError):
        return [Check("look", f"{told.what} It is asked again when the run is sent")]
    printer = printer_of_run(session, state.run)
    checks = []
    if printer.known and told.who.id and printer.known != told.who.id[:60]:
        what = f"{told.who.make} {told.who.model}".strip() or "Another machine"
        checks.append(Check("stop", f"{what} answers at the address of {printer.name}, and did not before"))
    if stops(told.status.reasons):
        checks.append(Check("look", f"{printer.name} waits: {in_words(told.status.reasons)}"))
    roll = roll_wanted(session, state.run)
    scanned = _by_label(session, printer, state, roll)
    if not told.loaded:
        unsaid = f"{printer.name} does not say what lies on it: scan the label of its roll, or look yourself"
        return [*checks, scanned or Check("look", unsaid)]
    fits = [one for one in told.loaded if one.name in names_at(printer.id, state.stock, roll)]
    if not fits:
        words = f"{printer.name} holds {told.loaded[0].name}; this run is on {roll.name}"
        checks.append(Check("stop", words, printer.simulated, "" if printer.simulated else told.loaded[0].name))
    elif fits[0].width_mm is not None and fits[0].width_mm + 0.5 < state.stock.width_mm:
        words = f"{fits[0].width_mm:.0f} mm wide, the run {state.stock.width_mm:.0f} mm"
        checks.append(Check("stop", f"The roll on {printer.name} is {words}"))
    else:
        width = f", {fits[0].width_mm:.0f} mm wide" if fits[0].width_mm else ""
        checks.append(Check("good", f"{printer.name} holds {fits[0].name}{width}"))
    return [*checks, *([scanned] if scanned else [])]


def _by_label(session: Session, printer: PrinterHere, state: RunState, wanted: Roll) -> Check | None:
    """What the label says that was scanned last at the printer; None when none ever was."""
    row = session.get_one(Printer, printer.id)
    lies = session.get(Roll, row.roll_id) if row.roll_id else None
    if lies is None:
        return None
    if lies.id == wanted.id:
        return Check("good", f"By its label {lies.name} lies on {printer.name}", scanned=True)
    words = f"By its label {lies.name} lies on {printer.name}; this run is on {wanted.name}"
    return Check("stop", words, scanned=True, other_roll=lies.id if lies.stock_id == wanted.stock_id else None)
