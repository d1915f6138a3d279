"""The tasks there are, and where they are written; imported when first needed."""

import importlib
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Registered:
    """A task by name. A physical one moves a `machine`: it is never taken up again by itself, holds the machine alone while
    it works, `words` say what for, and `broken` puts its sheet where a person can go on when it was broken off, or with
    `begun` False called off before it began."""

    where: str
    machine: str = ""
    words: str = ""
    broken: str = ""
    queues: bool = False
    """Whether it may wait for its machine; else it is refused while another holds that."""


STATIONS = "etiquette.stations"
TASKS = {
    "find lines": Registered(f"{STATIONS}.lines:find_lines"),
    "nest": Registered(f"{STATIONS}.nesting:nest_run"),
    "improve": Registered(f"{STATIONS}.nesting:improve_run"),
    "make plate": Registered(f"{STATIONS}.plating:make_plate"),
    "print": Registered(
        f"{STATIONS}.printing:print_plate",
        "printer",
        "a sheet is being printed",
        f"{STATIONS}.printing:left_unclear",
        True,
    ),
    "laminate": Registered(
        f"{STATIONS}.printing:laminate_sheet", "laminator", "film is being put on a sheet", queues=True
    ),
    "read marks": Registered(f"{STATIONS}.bench:read_sheet", "cutter", "the marks of a sheet are being read"),
    "cut": Registered(
        f"{STATIONS}.cutting:cut_sheet", "cutter", "a sheet is being cut", f"{STATIONS}.cutting:left_off"
    ),
    "cut roll": Registered(f"{STATIONS}.rolls:cut_roll", "cutter", "a roll is being cut"),
    "cut mat": Registered(f"{STATIONS}.mats:cut_mat", "cutter", "the sheets on a mat are being cut"),
    "cut card": Registered(f"{STATIONS}.card_cutting:cut_card", "cutter", "a test card is being cut"),
    "read card": Registered(f"{STATIONS}.card_cutting:read_card", "cutter", "a test card is being read"),
    "print card": Registered(
        f"{STATIONS}.card_printing:print_card", "printer", "a test card is being printed", queues=True
    ),
    "read printed card": Registered(f"{STATIONS}.card_printing:read_printed_card"),
}


def function_at(where: str) -> Callable[..., Any]:
    module, function = where.split(":")
    found: Callable[..., Any] = getattr(importlib.import_module(module), function)
    return found
