"""Orders of a folder that wait to share a run: when it is time, and the run."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.planning.sharing import Boxes, rows_mm
from etiquette.intake.tasks import GatherWork, gather
from etiquette.stations.designs import states_of
from etiquette.store.models import Cutter, DropFolder, Order, OrderState, Stock
from etiquette.tasks.work import submit

GAP_MM = 2.0
SIDES_MM = 40.0
"""Of the width of a stock, what marks and edges may take: an estimate, rather too much than too little."""


def waiting(session: Session, folder_id: int) -> list[Order]:
    """What has its lines and waits, the oldest first."""
    of_folder = select(Order).where(Order.folder_id == folder_id, Order.state == OrderState.GATHERED)
    return list(session.scalars(of_folder.order_by(Order.id)))


def length_mm(session: Session, orders: Sequence[Order]) -> float:
    """About how long a run of these orders is: rows of the boxes of their designs."""
    states = states_of(session, [design for order in orders for design in order.designs])
    boxes = [Boxes(width, one.height_mm, one.document.due_count) for one in states.values()
             if (width := one.document.width_mm) and one.height_mm and one.document.due_count]  # fmt: skip
    return rows_mm(boxes, max(50.0, _width_mm(session, orders) - SIDES_MM), GAP_MM)


def _width_mm(session: Session, orders: Sequence[Order]) -> float:
    names = [one.recipe["run"]["stock"] for one in orders if one.recipe and one.recipe["run"].get("stock")]
    wanted = select(Stock.width_mm).where(~Stock.away).order_by((Stock.name == (names[0] if names else "")).desc())
    return float(session.scalar(wanted.limit(1)) or 1000.0)


def is_time(session: Session, folder: DropFolder, moment: datetime) -> bool:
    """Whether the folder makes its run now. `moment` is the shop's own time."""
    orders = waiting(session, folder.id)
    if not orders:
        return False
    if folder.gather == "hour":
        return moment.hour >= folder.gather_hour and folder.gathered_on != moment.date()
    if folder.gather == "metres":
        return length_mm(session, orders) >= folder.gather_metres * 1000
    if folder.gather == "frame":
        reach = session.scalar(select(Cutter.reach_along_mm).where(~Cutter.away).order_by(Cutter.id).limit(1))
        return length_mm(session, orders) >= float(reach or 1000.0)
    return True  # it gathers no more: what waited goes now


def begin(session: Session, folder_id: int, moment: datetime) -> bool:
    """If it is time, what waits goes into one run, which is put in the queue. Each order is in one run, whatever is cut
    off."""
    folder = session.get(DropFolder, folder_id, with_for_update=True)
    if folder is None or not is_time(session, folder, moment):
        return False
    there = waiting(session, folder_id)
    for one in there:
        one.state, one.words = OrderState.WAITING, f"one run with {len(there) - 1} more" if len(there) > 1 else ""
    folder.gathered_on = moment.date()
    ids = [one.id for one in there]
    submit(session, gather, GatherWork(order_ids=ids), f"gather {folder_id}, {ids[-1]}, {there[-1].tries}")
    return True
