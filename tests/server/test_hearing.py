"""Many pages follow what happens to tasks, and the database is asked once."""

import threading

from sqlalchemy.event import listen, remove

from etiquette.server import hearing
from etiquette.server.hearing import Hearing
from etiquette.stations.shop import Shop
from etiquette.store.models import Task, TaskEvent
from etiquette.store.states import TaskState
from tests.conftest import wait_until


def says(shop: Shop, words: str, state: TaskState = TaskState.RUNNING) -> int:
    def said(session: object) -> int:
        task = session.query(Task).first() or Task(name="nest", arguments={}, key="k")  # type: ignore[attr-defined]
        task.state = state
        session.add(task)  # type: ignore[attr-defined]
        session.flush()  # type: ignore[attr-defined]
        event = TaskEvent(task_id=task.id, share=0.5, words=words, data=None)
        session.add(event)  # type: ignore[attr-defined]
        session.flush()  # type: ignore[attr-defined]
        return event.id

    return shop.database.within(said)


def test_every_listener_hears_everything_once_and_in_order(shop: Shop) -> None:
    first = says(shop, "before")
    heard = Hearing(shop)
    wait_until(lambda: heard.after(first) is not None)
    numbers = [says(shop, word) for word in ("one", "two")] + [says(shop, "Done", TaskState.DONE)]
    wait_until(lambda: len(heard.after(first) or ()) == 3)
    for _ in range(50):
        found = heard.after(first) or []
        assert [(number, told.words) for number, told in found] == list(
            zip(numbers, ("one", "two", "Done"), strict=True)
        )
        assert found[-1][1].ended
        assert [number for number, _ in heard.after(numbers[1]) or ()] == numbers[2:]
    assert heard.after(first - 1) is None  # older than what is held: only the database knows
    assert [told.words for _, told in heard.read(first - 1)] == ["before", "one", "two", "Done"]


def test_listening_costs_the_database_nothing_more(shop: Shop) -> None:
    heard = Hearing(shop)
    first = says(shop, "before")
    wait_until(lambda: heard.after(first) is not None)
    here, asked = threading.get_ident(), []

    def noted(*_: object) -> None:
        if threading.get_ident() == here:
            asked.append(1)

    listen(shop.database.engine, "before_cursor_execute", noted)
    try:
        for _ in range(500):
            heard.after(first)
    finally:
        remove(shop.database.engine, "before_cursor_execute", noted)
    assert not asked


def test_more_than_can_be_held_is_left_to_the_database(shop: Shop, monkeypatch: object) -> None:
    monkeypatch.setattr(hearing, "MOST_HELD", 2)  # type: ignore[attr-defined]
    first = says(shop, "before")
    heard = Hearing(shop)
    wait_until(lambda: heard.after(first) is not None)
    numbers = [says(shop, f"{number}") for number in range(5)]
    wait_until(lambda: heard.after(first) is None and heard.after(numbers[2]) is not None)
    wait_until(lambda: [number for number, _ in heard.after(numbers[2]) or ()] == numbers[3:])
    assert [number for number, _ in heard.read(first)] == numbers
