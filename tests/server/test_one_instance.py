"""One Etiquette a data directory."""

import pytest

from tests.conftest import RunningEtiquette


def test_a_second_instance_on_the_same_data_is_refused(running: RunningEtiquette) -> None:
    other = RunningEtiquette(running.data)
    with pytest.raises(AssertionError, match="already running"):
        other.start()
    assert running.get("/api/floor").status_code == 200
