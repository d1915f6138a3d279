"""Where the simulated machines stand: found anew at every start."""

from typing import TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.demo.room import Room
from etiquette.stations.shop import Shop
from etiquette.store.models import Cutter, Laminator, Printer

M = TypeVar("M", Printer, Laminator, Cutter)


def machines_move_in(shop: Shop) -> None:
    """The simulated machines of the Shelf are reached where the room says that they stand now; the first of each kind
    is taken when none is known as simulated."""
    room = Room.noted_in(shop.settings.data)
    board = room.ask("cutter", "state")["board"] if "cutter" in room.machines else None

    def first(session: Session, model: type[M]) -> M | None:
        rows = session.scalars(select(model).order_by(model.id)).all()
        rows = [one for one in rows if not getattr(one, "printer_id", None)]  # a knife stands in its printer
        return next((one for one in rows if one.simulated), next(iter(rows), None))

    def settle(session: Session) -> None:
        if laminator := first(session, Laminator):
            laminator.simulated = True
        if (printer := first(session, Printer)) and (stands := room.machines.get("printer")):
            printer.simulated, printer.address = True, stands.address
        if (cutter := first(session, Cutter)) and (stands := room.machines.get("cutter")):
            cutter.simulated, cutter.address = True, stands.address
            cutter.eye, cutter.table_eye, cutter.board = stands.eye, stands.table_eye, board

    shop.database.within(settle)
