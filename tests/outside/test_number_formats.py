"""Digits of numbers by the code of their format, beside SSF 0.11.2 (npm), which shows numbers as workbooks do. What it
shows besides is left out here: signs of thousands, currencies and other words, the point that ends “7.”."""

import re

import pytest

from etiquette.core.variable.number_formats import digits_of

NUMBERS = [2.5, 0, -3.5, 1234.567, 0.125, 7, 99.995, -0.6, 1234567.891, 1e-7, 42]
SHOWN = {
    "0.00": "2.50 0.00 -3.50 1234.57 0.13 7.00 100.00 -0.60 1234567.89 0.00 42.00",
    "0.000": "2.500 0.000 -3.500 1234.567 0.125 7.000 99.995 -0.600 1234567.891 0.000 42.000",
    "0.0#": "2.5 0.0 -3.5 1234.57 0.13 7.0 100.0 -0.6 1234567.89 0.0 42.0",
    "0.##": "2.5 0. -3.5 1234.57 0.13 7. 100. -0.6 1234567.89 0. 42.",
    "00000": "00003 00000 -00004 01235 00000 00007 00100 -00001 1234568 00000 00042",
    "#,##0.00": "2.50 0.00 -3.50 1,234.57 0.13 7.00 100.00 -0.60 1,234,567.89 0.00 42.00",
    '#,##0.00 "€"': "2.50€ 0.00€ -3.50€ 1,234.57€ 0.13€ 7.00€ 100.00€ -0.60€ 1,234,567.89€ 0.00€ 42.00€",
    "[$£-809]#,##0.00": "£2.50 £0.00 -£3.50 £1,234.57 £0.13 £7.00 £100.00 -£0.60 £1,234,567.89 £0.00 £42.00",
    '0.0" mm"': "2.5mm 0.0mm -3.5mm 1234.6mm 0.1mm 7.0mm 100.0mm -0.6mm 1234567.9mm 0.0mm 42.0mm",
    "0.0%": "250.0% 0.0% -350.0% 123456.7% 12.5% 700.0% 9999.5% -60.0% 123456789.1% 0.0% 4200.0%",
}


@pytest.mark.parametrize("code", SHOWN)
def test_numbers_have_the_digits_that_they_show(code: str) -> None:
    digits = digits_of(code)
    assert digits is not None
    shown = [re.sub(r"[^-.%\d]", "", one).removesuffix(".") for one in SHOWN[code].split()]
    assert [digits.said(number) for number in NUMBERS] == shown


def test_a_digit_that_means_nothing_is_not_shown() -> None:
    """ECMA-376, part 1, 18.8.31: # “displays only the significant digits”. From memory."""
    digits = digits_of("#.0#")
    assert digits is not None
    assert [digits.said(number) for number in (0.125, 0, -0.5, 12)] == [".13", ".0", "-.5", "12.0"]


@pytest.mark.parametrize(
    "code",
    ["General", "@", "dd.mm.yyyy", "hh:mm", "# ?/?", "0.00E+00", "#,##0.0,", "[>=1000]0.0;0.00", '"none"', "", "00-00"],
)
def test_a_code_that_says_more_or_less_than_digits_is_left(code: str) -> None:
    """ECMA-376, part 1, 18.8.31: days and hours, fractions, powers of ten, thousands left out, choices by value."""
    assert digits_of(code) is None
