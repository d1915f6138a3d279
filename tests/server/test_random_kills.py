"""Some of the random kills of benchmarks/random_kills.py: whenever in a print or a cut they come, nothing physical
happens twice, and there is a way on; where Etiquette is ended as it should be, a machine is brought to where it can
stand, and nobody is asked what became of anything; nor where its clock jumps an hour on, and back. The printer is
ippeveprinter of CUPS, which nobody here wrote."""

import random
from pathlib import Path

import pytest

from benchmarks import desk_work, random_kills
from tests.conftest import PATIENCE


def test_kills_and_ends_and_nothing_happens_twice(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(random_kills, "PATIENCE_SECONDS", PATIENCE)
    monkeypatch.setattr(desk_work, "PAUSE_SECONDS", 3.0)  # without rest it takes what the kills are waited for with
    random.seed(20261127)
    rounds = [("worker", "cut"), ("web", "print"), ("all", "cut")]
    rounds += [("end", "print"), ("clock", "cut"), ("clock", "print")]
    made = random_kills.killed(tmp_path, rounds)
    assert sum(made.rounds.values()) == len(rounds) and made.strokes > 100 and made.confirmed > 3
    assert (made.twice, made.prints, made.stuck, made.disturbed) == (0, 0, 0, 0)
    assert made.lost == []
