"""Work of many machines, told by Celery: the row is the truth, and a message says no more than “look at this one”. So a
message that is lost, comes twice or comes late does no harm: what waits is told again until somebody has taken it, and
who comes second finds it taken."""

import threading
import time
from typing import Any

import structlog
from celery import Celery, signals
from kombu.exceptions import OperationalError as BrokerAway
from redis.exceptions import RedisError
from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from etiquette.store.database import Database
from etiquette.store.models import Task
from etiquette.tasks.ending import ENDING
from etiquette.tasks.following import by_turn
from etiquette.tasks.task import TASKS
from etiquette.tasks.work import Silent, Worker

RUN = "etiquette.run"
QUEUE = "computing"
LOOK_SECONDS = 2.0
TELL_AGAIN_SECONDS = 30.0
MOST_TOLD = 200
"""So many that wait are told at a time: the rest when these are taken."""
VISIBILITY_SECONDS = 24 * 3600
"""Longer than any task: after it a message that was not answered comes again. What was lost is told again long
before."""
log = structlog.stdlib.get_logger(__name__)


def app_at(broker: str) -> Celery:
    app = Celery("etiquette", broker=broker, set_as_current=False)
    app.conf.update(
        broker_connection_retry_on_startup=True,
        broker_connection_max_retries=None,
        broker_transport_options={
            "visibility_timeout": VISIBILITY_SECONDS,
            "socket_timeout": 10,
            "socket_connect_timeout": 5,
            "retry_on_timeout": True,
        },
        task_acks_late=True,
        task_default_queue=QUEUE,
        task_ignore_result=True,
        task_publish_retry=False,  # it is told again all the same
        worker_hijack_root_logger=False,
        worker_prefetch_multiplier=1,
        worker_send_task_events=False,
    )
    return app


class BrokerEngine:
    """Tells what waits to the workers of all machines. Every server does: none is needed for another."""

    def __init__(self, broker: str, database: Database) -> None:
        self._app, self._database = app_at(broker), database
        self._woken, self._ended = threading.Event(), threading.Event()
        self._told: dict[int, float] = {}
        self._silent = Silent()

    def start(self) -> None:
        threading.Thread(target=self._tell, daemon=True).start()

    def wake(self) -> None:
        self._woken.set()

    def stop(self) -> None:
        self._ended.set()
        self._woken.set()

    def _tell(self) -> None:
        while not self._ended.is_set():
            self._woken.wait(LOOK_SECONDS)
            self._woken.clear()
            try:
                self.tell_once()
            except (SQLAlchemyError, BrokerAway, RedisError, OSError) as error:  # they come back, and it is told then
                log.warning("work could not be told", error=type(error).__name__)
                self._ended.wait(LOOK_SECONDS)

    def tell_once(self) -> list[int]:
        """Tell what waits and was not told lately; which they were."""
        self._database.within(self._silent.end)
        waiting = self._database.within(_waiting)
        moment = time.monotonic()
        self._told = {one: at for one, at in self._told.items() if one in waiting and moment - at < TELL_AGAIN_SECONDS}
        told = [one for one in waiting if one not in self._told]
        for one in told:
            self._app.send_task(RUN, args=[one], queue=QUEUE)
            self._told[one] = moment
        return told


def _waiting(session: Session) -> list[int]:
    computing = [name for name, one in TASKS.items() if not one.machine]
    wanted = select(Task.id).where(Task.state == "waiting", Task.name.in_(computing))
    return list(session.scalars(wanted.order_by(by_turn()).limit(MOST_TOLD)))


def work_off(broker: str, worker: Worker, name: str) -> None:
    """One process that computes what it is told, until SIGTERM: then what it has in hand goes back into the queue."""
    app = app_at(broker)

    @app.task(name=RUN)  # type: ignore[untyped-decorator]
    def run(task_id: int) -> None:
        if not ENDING.is_set():
            worker.run_one(task_id)

    def ends(**_: Any) -> None:
        ENDING.set()

    signals.worker_shutting_down.connect(ends)
    # solo: what it computes asks for children of its own, which the processes of a pool may not have
    app.worker_main(["worker", "--pool=solo", f"--queues={QUEUE}", f"--hostname={name}", "--loglevel=WARNING",
                     "--without-gossip", "--without-mingle"])  # fmt: skip
