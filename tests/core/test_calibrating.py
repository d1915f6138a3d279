"""Test cards: from a reading to a setting, worked by hand."""

import pytest

from etiquette.core.calibrating.cards import CARDS, CardName, result_of
from etiquette.core.errors import JobError


@pytest.mark.parametrize(
    ("card", "read", "before", "changes"),
    [
        # 40, 50, 60, 70 gf: step 4 lifts at 70; step 7 (100) marks, so 90 is the most: a third of the way from 70 to 90
        ("force", {"first_gf": 40, "step_gf": 10, "lifts": 4, "marks": 7}, {}, {"force_gf": 76.7}),
        ("force", {"first_gf": 40, "step_gf": 10, "lifts": 4, "marks": 0}, {}, {"force_gf": 70}),
        ("knife", {"first_mm": 0.1, "step_mm": 0.05, "best": 4}, {}, {"offset_mm": 0.25}),
        # 2.3 left and 1.7 right: the cut lies 0.3 mm too far right, so the camera looked 0.3 mm too far left
        (
            "print-to-cut",
            {"left_mm": 2.3, "right_mm": 1.7, "near_mm": 2, "far_mm": 2.2},
            {"sensor_across_mm": 0.1},
            {"sensor_across_mm": -0.2, "sensor_along_mm": 0.1},
        ),
        ("sensor", {"across_mm": 0.4, "along_mm": -0.2}, {}, {"sensor_across_mm": -0.4, "sensor_along_mm": 0.2}),
        ("feed", {"told_mm": 1000, "measured_mm": 1001.5}, {"feed_percent": 99.9}, {"feed_percent": 100.0499}),
        ("nozzles", {"nozzles": 320, "missing": 4}, {}, {}),
        ("two-way", {"pair": 3}, {}, {}),
    ],
)
def test_readings_become_settings(
    card: CardName, read: dict[str, float], before: dict[str, float], changes: dict[str, float]
) -> None:
    assert result_of(card, read, before).changes == pytest.approx(changes, abs=0.05 if card == "force" else 1e-4)


def test_what_has_to_be_done_at_the_machine_is_said() -> None:
    assert "1.2 %: clean the head" in result_of("nozzles", {"nozzles": 320, "missing": 4}, {}).words
    assert "fine as it is" in result_of("nozzles", {"nozzles": 320, "missing": 3}, {}).words
    assert "-0.06 mm" in result_of("two-way", {"pair": 3}, {}).words
    assert "a lot for a drag knife" in result_of("knife", {"first_mm": 1, "step_mm": 0.1, "best": 3}, {}).words


def test_readings_that_cannot_be_are_sentences() -> None:
    with pytest.raises(JobError, match="liner is marked before"):
        result_of("force", {"first_gf": 40, "step_gf": 10, "lifts": 5, "marks": 4}, {})
    with pytest.raises(JobError, match="has to be from 1 to 40"):
        result_of("knife", {"first_mm": 0.1, "step_mm": 0.05, "best": 99}, {})
    with pytest.raises(JobError, match="has to be from"):
        result_of("feed", {"told_mm": 1000}, {})
    with pytest.raises(JobError, match="is not the feed"):
        result_of("feed", {"told_mm": 1000, "measured_mm": 1060}, {})
    assert all(card.questions and card.what for card in CARDS.values())
