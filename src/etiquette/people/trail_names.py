"""What the things are called that the trail names by their addresses: for eyes alone, the trail itself stays as it was
written."""

import re
from collections.abc import Iterable

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from etiquette.store.models import Design, Job, Plate, Run, Sheet

_DESIGNS = select(Design.id, Design.name)
_RUNS = select(Run.id, Run.name)
_SHEETS = select(Sheet.id, Sheet.name)
_NAMED: dict[str, Select[int, str | None]] = {
    "designs": _DESIGNS,
    "tiles": _DESIGNS,
    "rows": _DESIGNS,
    "runs": _RUNS,
    "print": _RUNS,
    "room/runs": _RUNS,
    "sheets": _SHEETS,
    "bench": _SHEETS,
    "bench/sheets": _SHEETS,
    "room/sheets": _SHEETS,
    "jobs": select(Job.id, Job.name),
    "plates": select(Plate.id, Run.name).join(Run, Run.id == Plate.run_id),
}
"""Where addresses begin that go on with a number, and whose number it is."""
_ADDRESS = re.compile(r"([a-z]+(?:/[a-z]+)?)/(\d{1,9})(?:/|$)")


def names_of(session: Session, addresses: Iterable[str]) -> dict[str, str]:
    """What the thing is called now that an address is about, by the address; those without a name, and of things that
    are gone, are left out."""
    about: dict[str, dict[int, list[str]]] = {}
    for address in set(addresses):
        found = _ADDRESS.match(address)
        if found and found[1] in _NAMED:
            about.setdefault(found[1], {}).setdefault(int(found[2]), []).append(address)
    named: dict[str, str] = {}
    for beginning, numbers in about.items():
        asked = _NAMED[beginning]
        for number, name in session.execute(asked.where(asked.selected_columns[0].in_(numbers))):
            named |= dict.fromkeys(numbers[number], name or "")
    return named
