"""Every row looked at before any is printed: what does not fit, does not encode, is missing or double, and which rows
are the worst."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from etiquette.core.variable.fields import FieldSet
from etiquette.core.variable.filling import FilledCopy, Filling, Measure, Trouble

MOST_KEPT = 2_000
"""Troubles that are named; all are counted."""


@dataclass(frozen=True)
class Checked:
    """`troubles` by row, the first MOST_KEPT of `count`; `rows` were looked at, `bad` of them have troubles (the first
    MOST_KEPT by number). `worst`: of every field the row with the smallest letters or modules; `longest` the one with
    the most characters."""

    rows: int
    count: int
    troubles: tuple[Trouble, ...]
    bad: tuple[int, ...]
    worst: tuple[tuple[int, Measure], ...]
    longest: tuple[tuple[int, Measure], ...]


def check_rows(
    filling: Filling,
    rows: Iterable[tuple[int, Mapping[str, str]]],
    fields: FieldSet,
    odd: Sequence[Trouble] = (),
    each: Callable[[FilledCopy], None] = lambda _: None,
) -> Checked:
    """`odd`: what is wrong with rows already; `each` is given every copy, so that they are filled once."""
    unique = {one.name for one in fields.fields if one.unique}
    seen: dict[tuple[str, str], int] = {}
    troubles, count, bad = list[Trouble](), 0, dict[int, None]()
    worst: dict[str, tuple[int, Measure]] = {}
    longest: dict[str, tuple[int, Measure]] = {}
    before = {row: [one for one in odd if one.row == row] for row in {one.row for one in odd}}
    number = 0
    for row, cells in rows:
        number += 1
        copy = filling.filled(row, cells)
        found = [*before.get(row, ()), *copy.troubles]
        for one in copy.measures:
            if one.field in unique and one.words:
                first = seen.setdefault((one.field, one.words), row)
                if first != row:
                    found.append(Trouble(row, one.field, f"“{one.words[:60]}” stands in row {first} already."))
            if one.words and (one.field not in worst or _size(one) < _size(worst[one.field][1])):
                worst[one.field] = (row, one)
            if len(one.words) > len(longest[one.field][1].words if one.field in longest else ""):
                longest[one.field] = (row, one)
        if found:
            bad[row] = None
            count += len(found)
            troubles += found[: MOST_KEPT - len(troubles)]
        each(copy)
    return Checked(
        number, count, tuple(troubles), tuple(list(bad)[:MOST_KEPT]), tuple(worst.values()), tuple(longest.values())
    )


def _size(measure: Measure) -> float:
    return measure.size_pt if measure.size_pt is not None else (measure.module_mm or float("inf"))
