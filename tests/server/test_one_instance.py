"""One Etiquette a data directory."""

import httpx
import pytest

from tests.conftest import RunningEtiquette


def test_a_second_instance_on_the_same_data_is_refused(running: RunningEtiquette) -> None:
    other = RunningEtiquette(running.data)
    with pytest.raises(AssertionError, match="already running"):
        other.start()
    assert httpx.get(f"{running.url}/api/floor").status_code == 200
