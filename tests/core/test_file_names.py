"""What names of files say of an order."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.errors import JobError
from etiquette.core.production.file_names import Named, read_name

PATTERN = "{customer} - {name} {count}x {width}mm"


@pytest.mark.parametrize(
    ("pattern", "stem", "named"),
    [
        (PATTERN, "Seed swap - Jar label 48x 60mm", Named("Jar label", 48, 60.0, "Seed swap")),
        (PATTERN, "Seed_swap_-_Jar_label_48x_60,5mm", Named("Jar label", 48, 60.5, "Seed swap")),
        (PATTERN, "SEED SWAP - jar 4X 6.25MM", Named("jar", 4, 6.25, "SEED SWAP")),
        (PATTERN, "Jar label", Named("Jar label")),  # what does not fit is a name
        (PATTERN, "Seed swap - Jar label 0x 60mm", Named("Seed swap - Jar label 0x 60mm")),  # none is no order
        ("{name}", "Jar label", Named("Jar label")),
        ("", "Jar label 48x", Named("Jar label 48x")),
        ("{count} {name}", "12 Jar label", Named("Jar label", 12)),
        ("{name}", "漁船 ラベル", Named("漁船 ラベル")),
        ("{customer}, {name}", "Łódź, ñandú Ö", Named("ñandú Ö", customer="Łódź")),
        ("{name} ({count})", "Jar (3)", Named("Jar", 3)),  # signs of the pattern mean themselves
        ("{name}.{count}", "Jar label.7", Named("Jar label", 7)),
    ],
)
def test_a_name_says_how_many_how_wide_and_for_whom(pattern: str, stem: str, named: Named) -> None:
    assert read_name(pattern, stem) == named


@pytest.mark.parametrize(("pattern", "said"), [("{size}", "knows no {size}"), ("{name} {name}", "stands twice")])
def test_a_pattern_that_cannot_be_is_refused(pattern: str, said: str) -> None:
    with pytest.raises(JobError, match=said.replace("{", r"\{")):
        read_name(pattern, "One")


@given(st.text(max_size=40), st.text(max_size=60))
def test_any_name_is_read_and_never_empty_of_its_own(pattern: str, stem: str) -> None:
    try:
        named = read_name(pattern, stem)
    except JobError:
        return
    assert named.count is None or named.count > 0
