"""Many pages follow what happens to tasks, and the database is asked once."""

import threading

import pytest
from sqlalchemy.event import listen, remove
from sqlalchemy.orm import Session

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


def words_after(heard: Hearing, place: int) -> list[str]:
    found = heard.after(place)
    assert found is not None
    return [told.words for _, told in found[1]]


def test_every_listener_hears_everything_once_and_in_order(shop: Shop) -> None:
    first = says(shop, "before")
    heard = Hearing(shop)
    begin = heard.begin()
    numbers = [says(shop, word) for word in ("one", "two")] + [says(shop, "Done", TaskState.DONE)]
    wait_until(lambda: len(words_after(heard, begin)) == 3)
    for _ in range(50):
        place, found = heard.after(begin) or (0, [])
        assert [(number, told.words) for number, told in found] == list(
            zip(numbers, ("one", "two", "Done"), strict=True)
        )
        assert found[-1][1].ended
        assert heard.after(place) == (place, [])
        assert words_after(heard, begin + 2) == ["Done"]
    assert heard.begin() == place  # from now on
    assert [told.words for _, told in heard.read(first - 1)] == ["before", "one", "two", "Done"]


def test_what_is_committed_out_of_turn_is_heard_too(shop: Shop) -> None:
    """The end of a task is written, then a report of another one is written and committed, and heard; only then the end
    is committed. It lies behind what was heard already."""
    says(shop, "before")
    heard = Hearing(shop)
    begin = heard.begin()
    with Session(shop.database.engine) as slow:
        task = Task(name="nest", arguments={}, key="slow", state=TaskState.DONE)
        slow.add(task)
        slow.flush()
        slow.add(TaskEvent(task_id=task.id, share=1.0, words="Done", data=None))
        slow.flush()
        says(shop, "quick")
        wait_until(lambda: words_after(heard, begin) == ["quick"])
        slow.commit()
    wait_until(lambda: words_after(heard, begin) == ["quick", "Done"])


def test_listening_costs_the_database_nothing_more(shop: Shop) -> None:
    heard = Hearing(shop)
    says(shop, "before")
    begin = heard.begin()
    here, asked = threading.get_ident(), []

    def noted(*_: object) -> None:
        if threading.get_ident() == here:
            asked.append(1)

    listen(shop.database.engine, "before_cursor_execute", noted)
    try:
        for _ in range(500):
            heard.after(begin)
            heard.begin()
    finally:
        remove(shop.database.engine, "before_cursor_execute", noted)
    assert not asked


def test_more_than_can_be_held_is_left_to_the_database(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(hearing, "MOST_HELD", 2)
    first = says(shop, "before")
    heard = Hearing(shop)
    begin = heard.begin()
    numbers = [says(shop, f"{number}") for number in range(5)]
    wait_until(lambda: heard.after(begin) is None and words_after(heard, begin + 3) == ["3", "4"])
    assert [number for number, _ in heard.read(first)] == numbers


def test_when_nobody_asks_nothing_is_heard_until_it_begins_again(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    says(shop, "before")
    heard = Hearing(shop)
    begin = heard.begin()
    monkeypatch.setattr(hearing, "QUIET_SECONDS", -1.0)
    wait_until(lambda: heard.after(begin) is None)
    monkeypatch.undo()
    says(shop, "unheard")
    again = heard.begin()
    says(shop, "heard")
    wait_until(lambda: words_after(heard, again) == ["heard"])
