"""Floor: what is waiting, what is next, what is stuck."""

import os
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from functools import partial

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from etiquette.core.errors import JobError
from etiquette.devices import holds
from etiquette.devices.addresses import parsed
from etiquette.files.documents.document import OtherVersion
from etiquette.stations import set_up
from etiquette.stations.machines import CutterHere, PrinterHere, cutter_here, printer_here
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Design, Machine, Plate, Printer, Roll, Run, Sheet

BETWEEN_LAMPS_SECONDS = 3.0
_RUN_COLUMN = {
    "planned": "ready", "printing": "printing", "film": "film", "cutter": "cutter", "cut": "done", "done": "done",
}  # fmt: skip


@dataclass(frozen=True)
class Card:
    """A design or a run on the Floor."""

    column: str
    kind: str
    id: int
    name: str
    words: str
    due: date | None
    thumb: str


@dataclass(frozen=True)
class FloorState:
    cards: list[Card]
    rolls: list[tuple[str, float, float]]
    good: int
    pieces: int
    bare: bool
    still_open: int


def state_of(session: Session) -> FloorState:
    cards, placed = [], set[int]()
    designs = {
        row.id: row for row in session.scalars(select(Design).options(joinedload(Design.job)).order_by(Design.id))
    }
    last = _last_sheets(session)
    for run in session.scalars(select(Run).order_by(Run.id)):
        placed |= _placed(run)
        cards.append(_card(partial(_run_card, run, designs, last.get(run.id)), "run", run))
    for design in designs.values():
        if design.id not in placed:
            cards.append(_card(partial(_design_card, design), "design", design))
    rolls = [(roll.name, roll.remaining_mm, roll.length_mm) for roll in session.scalars(select(Roll).order_by(Roll.id))]
    made = session.scalars(select(Sheet).where(Sheet.state.in_(("cut", "done")))).all()
    good, pieces = sum(sheet.good or 0 for sheet in made), sum(sheet.pieces for sheet in made)
    lacking = [one for one in set_up.still_open(session) if one.place != "test"]
    return FloorState(cards, rolls, good, pieces, set_up.is_bare(session), len(lacking))


def _placed(run: Run) -> set[int]:
    """The designs that a run has; of one that cannot be read, none."""
    try:
        return {item.design_id for item in run.document.items}
    except OtherVersion:
        return set()


def _card(make: Callable[[], Card], kind: str, row: Run | Design) -> Card:
    """The card of a row; of one that another version has written and this one cannot read, that it is so."""
    try:
        return make()
    except JobError:
        name = str(row.document_json.get("name", f"{kind} {row.id}"))
        return Card(
            "lines" if kind == "design" else "ready",
            kind,
            row.id,
            name,
            "written by another version of Etiquette",
            None,
            "",
        )


def _last_sheets(session: Session) -> dict[int, str]:
    """The name of the print of every run that was made last."""
    newest = select(func.max(Sheet.id)).join(Plate).group_by(Plate.run_id)
    found = session.execute(select(Plate.run_id, Sheet.name).join(Sheet).where(Sheet.id.in_(newest)))
    return {run_id: name for run_id, name in found}


def _run_card(run: Run, designs: Mapping[int, Design], sheet: str | None) -> Card:
    items = run.document.items
    # the sheet that was last at work says where the run is; a run may have been printed before and planned anew
    column = _RUN_COLUMN[run.state]
    jobs = [designs[item.design_id].job for item in items if item.design_id in designs]
    due = min((job.due for job in jobs if job.due), default=None)
    thumb = f"/api/designs/{items[0].design_id}/thumb" if items else ""
    if run.document.layout:
        thumb = f"/api/runs/{run.id}/thumb"
    words = f"{sum(item.count for item in items)} pieces" + (f" · sheet {sheet}" if sheet else "")
    return Card(column, "run", run.id, run.document.name, words, due, thumb)


def _design_card(design: Design) -> Card:
    document = design.document
    words = f"{design.job.customer} · {document.due_count}" if document.width_mm else "size not known"
    column = "ready" if document.ready else "lines"
    return Card(column, "design", design.id, document.name, words, design.job.due, f"/api/designs/{design.id}/thumb")


def lamps(shop: Shop) -> list[tuple[str, str, bool]]:
    """Name, kind and whether it answers, of every machine that has an address. Each is asked; that may take seconds, so
    pages are shown what a LampWatcher saw last. A machine that is at work answers its task, and is not asked."""
    printers, cutters, busy = shop.database.within(_with_addresses)
    found = []
    for printer in printers:
        found.append((printer.name, printer.kind, printer.key in busy or _answers(printer.driver().status)))
    for cutter in cutters:
        found.append((cutter.name, cutter.kind, cutter.key in busy or _answers(partial(_knock, shop, cutter))))
    return found


def _with_addresses(session: Session) -> tuple[list[PrinterHere], list[CutterHere], set[str]]:
    printers = session.scalars(select(Printer).where(Printer.address != "").order_by(Printer.id))
    cutters = session.scalars(select(Cutter).where(Cutter.address != "").order_by(Cutter.id))
    held = {row.name for row in session.scalars(select(Machine)) if not holds.is_free(session, row.name)}
    return [printer_here(one) for one in printers], [cutter_here(one) for one in cutters], held


def _answers(ask: Callable[[], object]) -> bool:
    try:
        ask()
    except Exception:
        # a lamp is dark for any reason; the sentence comes when the machine is used
        return False
    return True


def _knock(shop: Shop, cutter: CutterHere) -> None:
    """Ask a cutter how it is, or see that its folder or device file is there: a serial port is not opened only to look,
    because that sets its control lines, and some machines then begin anew."""
    where = parsed(cutter.address, "cutter")
    if where.scheme in ("folder", "serial", "usb"):
        os.stat(where.path)
        return
    with cutter.line(shop) as line:
        if cutter.confirm != "none":
            line.status()


class LampWatcher:
    """Asks the machines again and again beside the pages, and keeps what was seen last."""

    def __init__(self, shop: Shop) -> None:
        self._shop = shop
        self._seen: list[tuple[str, str, bool]] | None = None
        self._ended = threading.Event()

    def start(self) -> None:
        threading.Thread(target=self._watch, daemon=True).start()

    def stop(self) -> None:
        self._ended.set()

    def seen(self) -> list[tuple[str, str, bool]]:
        """What was seen last; before the first look every lamp is dark."""
        printers, cutters, _ = self._shop.database.within(_with_addresses)
        dark = [(one.name, one.kind, False) for one in (*printers, *cutters)]
        return dark if self._seen is None else self._seen

    def _watch(self) -> None:
        while not self._ended.is_set():
            self._seen = lamps(self._shop)
            self._ended.wait(BETWEEN_LAMPS_SECONDS)
