"""What is said of a job follows from its pieces: cases worked by hand, and properties."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.production.job_progress import STEPS, Pieces, standing

READY = Pieces(due=20, ready=20)


@pytest.mark.parametrize(
    ("designs", "uncounted", "words", "tone"),
    [
        ([], 0, "no art yet", "look"),
        ([Pieces(due=20)], 0, "needs lines", "look"),
        ([Pieces(due=20), READY], 0, "1 of 2 needs lines", "look"),
        ([READY], 0, "ready for a run", "plain"),
        ([Pieces(20, 20, 20), READY], 0, "20 of 40 in no run", "plain"),
        ([Pieces(20, 20, 20)], 0, "planned", "plain"),
        ([Pieces(20, 20, 20, 12)], 0, "12 of 20 printed", "plain"),
        ([Pieces(20, 20, 24, 24, 12)], 0, "waits for film", "plain"),
        ([Pieces(20, 20, 20, 20, 20)], 0, "waits for the cutter", "plain"),
        ([Pieces(20, 20, 20, 20, 20, 8)], 0, "8 of 20 cut", "plain"),
        ([Pieces(20, 20, 20, 20, 20, 20)], 20, "cut, 20 to count", "look"),
        ([Pieces(20, 20, 20, 20, 20, 20, good=17, spoiled=3)], 0, "3 spoiled, 3 to print again", "stop"),
        ([Pieces(20, 20, 23, 20, 20, 20, good=17, spoiled=3)], 0, "17 of 20 printed", "plain"),
        ([Pieces(20, 20, 23, 23, 23, 23, good=20, spoiled=3)], 0, "20 good, to hand over", "good"),
        ([Pieces(20, 20, 23, 23, 23, 23, good=20, spoiled=3, handed=15)], 0, "5 good, to hand over", "good"),
        ([Pieces(20, 20, 23, 23, 23, 23, good=20, spoiled=3, handed=20)], 0, "handed over", "good"),
        ([Pieces(20, 20, 22, 22, 22, 22, good=20, spoiled=2), READY], 0, "2 spoiled, 20 to print again", "stop"),
    ],
)
def test_a_job_says_what_keeps_it(designs: list[Pieces], uncounted: int, words: str, tone: str) -> None:
    said = standing(designs, uncounted)
    assert (said.words, said.tone) == (words, tone) and said.done == (words == "handed over")


counts = st.integers(0, 500)


@given(st.lists(st.builds(Pieces, *[counts] * 8), min_size=1, max_size=5))
def test_shares_are_shares_and_what_is_missing_is_never_negative(designs: list[Pieces]) -> None:
    whole = sum(designs, Pieces())
    assert list(whole.shares()) == list(STEPS) and all(0 <= share <= 1 for share in whole.shares().values())
    assert all(one.missing >= 0 for one in designs) and whole.missing <= sum(one.missing for one in designs)
    assert standing(designs).words
