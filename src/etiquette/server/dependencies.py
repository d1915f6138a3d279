"""What handlers share: the shop, a session, and submitting tasks."""

from collections.abc import Callable
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Request
from sqlalchemy.orm import Session

from etiquette.stations.shop import Shop
from etiquette.tasks.local import LocalEngine
from etiquette.tasks.task import A, TaskType
from etiquette.tasks.work import submit

T = TypeVar("T")


def get_shop(request: Request) -> Shop:
    shop: Shop = request.app.state.shop
    return shop


def get_engine(request: Request) -> LocalEngine | None:
    engine: LocalEngine | None = request.app.state.engine
    return engine


ShopHere = Annotated[Shop, Depends(get_shop)]


class Submitter:
    """Puts a task in the queue and wakes a worker."""

    def __init__(self, shop: ShopHere, engine: Annotated[LocalEngine | None, Depends(get_engine)]) -> None:
        self._shop, self._engine = shop, engine

    def __call__(self, task_type: TaskType[A, Any], arguments: A, key: str | None = None) -> int:
        return self.within(lambda session: submit(session, task_type, arguments, key))

    def within(self, work: Callable[[Session], T]) -> T:
        """A transaction in which `work` submits tasks; a worker is woken after it."""
        made = self._shop.database.within(work)
        if self._engine:
            self._engine.wake()
        return made


TaskSubmitter = Annotated[Submitter, Depends(Submitter)]


def within(shop: Shop, work: Callable[[Session], T]) -> T:
    return shop.database.within(work)
