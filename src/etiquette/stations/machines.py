"""The machines of the shop: rows of the Shelf, and the drivers that speak with them."""

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.cutting.profiles import PROFILES
from etiquette.core.cutting.writers import on_device
from etiquette.core.errors import JobError, NotThere
from etiquette.devices import contracts
from etiquette.devices.drivers import cutter_at, eye_at, printer_at
from etiquette.devices.eyes import OpticalHead, TableCamera, table_camera
from etiquette.devices.registry import Machine
from etiquette.stations.sheets import sheet_there
from etiquette.stations.shop import Shop
from etiquette.stations.tools import CutterSetting, setting_of
from etiquette.store.models import Cutter, Plate, Printer, Roll, Run, Sheet, Stock


@dataclass(frozen=True)
class PrinterHere(Machine):
    """A printer and how it is reached. `certificate` and `known`: what the machine at its address showed and called
    itself first."""

    address: str = ""
    certificate: str = ""
    known: str = ""
    simulated: bool = False

    def driver(self) -> contracts.Printer:
        """Raises JobError when it has no address yet."""
        if not self.address:
            raise JobError(f"{self.name} has no address yet.", self.name, "Say on the Shelf how it is connected.")
        return printer_at(self.address, self.name, self.certificate)

    def recognise(self, session: Session, who: contracts.Identity) -> None:
        """Whoever answers is the machine that always did; the first one is remembered. Raises JobError."""
        if who.id and self.known and self.known != who.id[:60]:
            raise JobError(
                f"Another machine than before answers at the address of {self.name}: {who.make} {who.model}.",
                self.name,
                "Check the addresses of the machines; if it was exchanged, ask on the Shelf again which one it is.",
            )
        if not self.known or who.certificate != self.certificate:
            self.remember(session, who)

    def remember(self, session: Session, who: contracts.Identity) -> None:
        """From now on this machine is expected at the address."""
        row = session.get_one(Printer, self.id)
        row.machine, row.certificate = who.id[:60], who.certificate


def printer_here(row: Printer) -> PrinterHere:
    """A printer of the Shelf, ready to be spoken to outside a transaction."""
    return PrinterHere("printer", row.id, row.name, row.address, row.certificate, row.machine, row.simulated)


def names_at(printer_id: int, stock: Stock, roll: Roll) -> set[str]:
    """What may lie on a printer under these names when this roll does: the shop's, and the printer's own."""
    own = str(stock.names.get(str(printer_id), "")).strip()
    return {roll.name, stock.name, *([own] if own else [])}


def printer_of_run(session: Session, run: Run) -> PrinterHere:
    """Raises JobError when the run names none that is there."""
    row = session.get(Printer, run.document.printer_id or 0)
    if row is None:
        raise JobError("This run has no printer.", run.document.name, "Choose one in Run.")
    return printer_here(row)


def printer_of_sheet(session: Session, sheet_id: int) -> PrinterHere:
    """Raises NotThere, JobError."""
    sheet = session.get(Sheet, sheet_id)
    if sheet is None:
        raise NotThere("There is no such sheet.", f"sheet {sheet_id}", "Open Print again.")
    return printer_of_run(session, session.get_one(Run, session.get_one(Plate, sheet.plate_id).run_id))


@dataclass(frozen=True)
class CutterHere(Machine):
    """A cutter, how it and its eyes are reached, and how its test cards found it."""

    address: str = ""
    confirm: str = "oa"
    eye: str = ""
    table_eye: str = ""
    board: dict[str, Any] | None = None
    simulated: bool = False
    setting: CutterSetting = field(default_factory=lambda: CutterSetting("", PROFILES["knife"]))

    def line(self, shop: Shop) -> contracts.Cutter:
        """The line to it; whatever moves it passes the check of the hold first. Raises JobError without an address."""
        if not self.address:
            raise JobError(f"{self.name} has no address yet.", self.name, "Say on the Shelf how it is connected.")
        return cutter_at(self.address, self.name, self.setting.profile.unit_mm, self.confirm, shop.still_mine)

    def head(self, line: contracts.Cutter) -> OpticalHead:
        """The eye on its head. Raises JobError when it has none."""
        if not self.eye:
            raise JobError(
                f"{self.name} has no eye on its head.", self.name, "Lead its head to each mark, or take a photo."
            )
        return OpticalHead(line, eye_at(self.eye, f"The eye of {self.name}"), self._on_machine)

    def camera(self) -> TableCamera:
        """The camera over its table. Raises JobError when there is none."""
        if not self.table_eye:
            raise JobError(f"{self.name} has no camera over its table.", self.name, "Read the marks with the head.")
        return table_camera(eye_at(self.table_eye, f"The camera of {self.name}"), self.board, self.name)

    def to_machine(self, x: float, y: float) -> tuple[float, float]:
        """What it has to be told so that its tool stands at (x, y) of its table."""
        return self._on_machine(x, y / self.setting.feed)

    def from_machine(self, x: float, y: float) -> tuple[float, float]:
        """Where on its table its tool stands when it says that it is at (x, y)."""
        profile = self.setting.profile
        turned = replace(profile, turn_deg=(360 - profile.turn_deg) % 360, origin_mm=(0.0, 0.0))
        across, along = on_device(np.array([[x, y]]) - profile.origin_mm, turned)[0]
        return float(across), float(along) * self.setting.feed

    def _on_machine(self, x: float, y: float) -> tuple[float, float]:
        across, along = on_device(np.array([[x, y]]), self.setting.profile)[0]
        return float(across), float(along)


def cutter_here(row: Cutter) -> CutterHere:
    """A cutter of the Shelf, ready to be spoken to outside a transaction."""
    return CutterHere(
        "cutter",
        row.id,
        row.name,
        row.address,
        row.confirm,
        row.eye,
        row.table_eye,
        row.board,
        row.simulated,
        setting_of(row),
    )


def printer_of_knife(session: Session, cutter_id: int | None) -> PrinterHere | None:
    """The printer that a cutter is the own knife of; None for one that stands by itself."""
    cutter = session.get(Cutter, cutter_id or 0)
    printer = session.get(Printer, cutter.printer_id or 0) if cutter else None
    return printer_here(printer) if printer else None


def cutter_of_sheet(session: Session, sheet_id: int | None) -> CutterHere:
    """The cutter a sheet lies on, else the one its run is for; without a sheet the one on which any lies, else the
    first. Raises NotThere."""
    if sheet_id is None:
        lying = select(Sheet.cutter_id).where(Sheet.state.in_(("loaded", "read")), Sheet.cutter_id.is_not(None))
        by_itself = select(Cutter.id).where(Cutter.printer_id.is_(None)).order_by(Cutter.id)
        cutter_id = session.scalar(lying.limit(1)) or session.scalar(by_itself.limit(1))
    else:
        sheet = sheet_there(session, sheet_id)
        lies = sheet.cutter_id if sheet.state in ("loaded", "read") else None
        run = session.get_one(Run, sheet.plate.run_id).document
        if not lies and run.way == "only":
            raise JobError(f"{run.name} is only printed: none of it is cut.", sheet.name, "Choose a cutter in Run.")
        cutter_id = lies or run.cutter_id
    row = session.get(Cutter, cutter_id or 0)
    if row is None:
        raise NotThere("That cutter is not on the Shelf any more.", "cutter", "Choose another one in Run.")
    return cutter_here(row)
