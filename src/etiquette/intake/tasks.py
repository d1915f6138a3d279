"""The tasks of orders that come in by themselves."""

from typing import Literal

from pydantic import BaseModel
from sqlalchemy.orm import Session

from etiquette.intake.schemas import JobTaken, SavedJob
from etiquette.stations.shop import Shop
from etiquette.tasks.task import Outcome, Report, task


class OrderWork(BaseModel):
    order_id: int


class GatherWork(BaseModel):
    order_ids: list[int]


class OrdersWorked(BaseModel):
    """Orders that went as far as they can by themselves."""

    found: Literal["orders"] = "orders"
    order_ids: list[int]


def _order_left(session: Session, arguments: OrderWork, begun: bool) -> None:
    from etiquette.intake import orders

    orders.left(session, [arguments.order_id])


def _orders_left(session: Session, arguments: GatherWork, begun: bool) -> None:
    from etiquette.intake import orders

    orders.left(session, arguments.order_ids)


@task("order", broken=_order_left)
def do_order(shop: Shop, wanted: OrderWork, report: Report) -> Outcome[OrdersWorked]:
    from etiquette.intake import orders

    orders.carry_on(shop, wanted.order_id)
    return Outcome(OrdersWorked(order_ids=[wanted.order_id]))


@task("gather", broken=_orders_left)
def gather(shop: Shop, wanted: GatherWork, report: Report) -> Outcome[OrdersWorked]:
    from etiquette.intake import orders

    orders.gathered(shop, wanted.order_ids)
    return Outcome(OrdersWorked(order_ids=wanted.order_ids))


@task("take in a job")
def take_job(shop: Shop, wanted: SavedJob, report: Report) -> Outcome[JobTaken]:
    from etiquette.intake import job_taking

    return job_taking.take(shop, wanted, report)
