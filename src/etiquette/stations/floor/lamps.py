"""The lamps of the machines: which of them answer."""

import os
import threading
from collections.abc import Callable
from functools import partial

import structlog
from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from etiquette.devices import holds
from etiquette.devices.addresses import parsed
from etiquette.stations.machines import CutterHere, PrinterHere, cutter_here, printer_here
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Machine, Printer

BETWEEN_LAMPS_SECONDS = 3.0
log = structlog.stdlib.get_logger(__name__)
Lamps = list[tuple[str, str, bool]]
"""Name, kind and whether it answers."""


def lamps(shop: Shop) -> Lamps:
    """Of every machine that has an address. Each is asked; that may take seconds, so
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
        self.last: Lamps | None = None
        """What was seen last."""
        self._ended = threading.Event()

    def start(self) -> None:
        threading.Thread(target=self._watch, daemon=True).start()

    def stop(self) -> None:
        self._ended.set()

    def seen(self) -> Lamps:
        """What was seen last; before the first look every lamp is dark."""
        if self.last is not None:
            return self.last
        printers, cutters, _ = self._shop.database.within(_with_addresses)
        return [(one.name, one.kind, False) for one in (*printers, *cutters)]

    def _watch(self) -> None:
        while not self._ended.is_set():
            self.look()
            self._ended.wait(BETWEEN_LAMPS_SECONDS)

    def look(self) -> None:
        """Ask all of them; a database that is away comes back, and what was seen before stands until then."""
        try:
            self.last = lamps(self._shop)
        except SQLAlchemyError as error:
            log.warning("the machines could not be looked up", error=type(error).__name__)
