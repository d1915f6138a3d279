"""Most tests begin with the same few files: what was read, found, laid or separated before is not worked out again
where all that it is made from is the same. The functions themselves are tried where they are at home (tests/core,
tests/sandbox, tests/outside)."""

import hashlib
import inspect
import pickle
from collections.abc import Callable
from typing import Any

import pytest

from etiquette.core.planning import framing
from etiquette.sandbox import art
from etiquette.stations import line_finding
from etiquette.stations.lines import taking_in
from etiquette.stations.print import plating

MOST_BYTES = 200_000_000
TELLS = {"progress", "reached"}
"""Arguments that only hear how far the work is."""


class MadeOnce:
    """What was made, by a hash of what it was made from; every asker gets a copy of its own."""

    def __init__(self) -> None:
        self._held: dict[bytes, bytes] = {}
        self._size = 0

    def __call__(self, work: Callable[..., Any]) -> Callable[..., Any]:
        form = inspect.signature(work)

        def asked(*wanted: Any, **named: Any) -> Any:
            bound = form.bind(*wanted, **named).arguments
            made_from = [(name, value) for name, value in bound.items() if name not in TELLS]
            key = hashlib.sha256(pickle.dumps((work.__module__, work.__qualname__, made_from))).digest()
            if key not in self._held:
                made = pickle.dumps(work(*wanted, **named))
                if self._size + len(made) > MOST_BYTES:
                    self._held.clear()
                    self._size = 0
                self._held[key] = made
                self._size += len(made)
            return pickle.loads(self._held[key])

        return asked


def made_once(patch: pytest.MonkeyPatch) -> None:
    once = MadeOnce()
    patch.setattr(taking_in, "read_art", once(art.read_art))
    patch.setattr(line_finding, "separate", once(art.separate))
    patch.setattr(line_finding, "ready_marked_picture", once(line_finding.ready_marked_picture))
    patch.setattr(line_finding, "ready_page", once(line_finding.ready_page))
    patch.setattr(framing, "nest_in_frames", once(framing.nest_in_frames))
    for name in ("coverage_of", "preview_of_pdf", "colours_of_designs"):
        patch.setattr(plating, name, once(getattr(plating, name)))
