"""What is done again and again beside the server goes on, whatever became of it once."""

import pytest
from sqlalchemy.exc import OperationalError

from etiquette.core.errors import JobError
from etiquette.server.again import Again
from tests.conftest import wait_until


@pytest.mark.parametrize(
    "error",
    [OSError("the disk is full"), OperationalError("SELECT 1", {}, Exception("gone")), JobError("No", "a", "b")],
)
def test_what_fails_is_done_again_until_it_is_stopped(error: Exception) -> None:
    done = list[int]()

    def works() -> None:
        done.append(1)
        if len(done) % 2:
            raise error

    again = Again(0.0, works, "it was not done")
    again.start()
    wait_until(lambda: len(done) > 5)
    again.stop()


def test_what_was_stopped_before_it_began_is_never_done() -> None:
    done = list[int]()
    again = Again(0.0, lambda: done.append(1), "it was not done")
    again.stop()
    again._do()
    assert done == []
