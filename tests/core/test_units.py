"""Lengths as people type them; every value worked by hand."""

import pytest

from etiquette.core.errors import JobError
from etiquette.core.units import parse_length


@pytest.mark.parametrize(
    ("text", "mm"),
    [
        ("12", 12),
        ("12,5", 12.5),
        ("12mm", 12),
        ("1.2cm", 12),
        ("3.5in", 88.9),
        ('3 1/2"', 88.9),
        ("3*25.4", 76.2),
        ('1/2"', 12.7),
        ("1in+5", 30.4),
        ("2*(1in + 5)", 60.8),
        ("-3", -3),
        ("10/4", 2.5),
        (".5cm", 5),
        ("72pt", 25.4),
        ("8/10/4", 0.2),
        (" 0,3 cm + 1 ", 4),
    ],
)
def test_lengths(text: str, mm: float) -> None:
    assert parse_length(text) == pytest.approx(mm, abs=1e-6)


def test_a_bare_number_is_in_the_unit_of_the_screen() -> None:
    assert parse_length("2", "in") == pytest.approx(50.8)
    assert parse_length("2+5mm", "in") == pytest.approx(55.8)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "  ",
        "two",
        "1,200,5",
        "1 200",
        "3mm mm",
        "3mm*2mm",
        "1/0",
        "5/2mm/1mm",
        "(3",
        "3)",
        "1e999",
        "9" * 90,
        "2 km",
    ],
)
def test_what_is_not_a_length_is_refused_with_a_sentence(text: str) -> None:
    with pytest.raises(JobError) as refused:
        parse_length(text)
    assert refused.value.what and refused.value.do


def test_points_of_card_are_thousandths_of_an_inch_and_grammage_is_no_length() -> None:
    """Common practice, no published source: 18 pt card is 0.018 in thick."""
    assert parse_length("18pt", points="card") == pytest.approx(0.4572)
    assert parse_length("18 pt + 0.1", points="card") == pytest.approx(0.5572)
    assert parse_length("18pt") == pytest.approx(6.35)  # of type, where a thickness is not asked for
    for grammage in ("300 g", "300g/m2", "300 gsm"):
        with pytest.raises(JobError):
            parse_length(grammage, points="card")
