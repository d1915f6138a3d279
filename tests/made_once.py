"""Most tests begin with the same few files: what was read, found, laid or separated before is not worked out again
where all that it is made from is the same. The functions themselves are tried where they are at home (tests/core,
tests/sandbox, tests/outside)."""

import hashlib
import inspect
import os
import pickle
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from etiquette.core.planning import framing
from etiquette.sandbox import art
from etiquette.stations import line_finding
from etiquette.stations.lines import taking_in
from etiquette.stations.print import plating

TELLS = {"progress", "reached"}
"""Arguments that only hear how far the work is."""


class MadeOnce:
    """What was made, by a hash of what it was made from, in a folder that all workers share; every asker gets a copy
    of its own."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(exist_ok=True)
        self._folder = folder

    def __call__(self, work: Callable[..., Any]) -> Callable[..., Any]:
        form = inspect.signature(work)

        def asked(*wanted: Any, **named: Any) -> Any:
            bound = form.bind(*wanted, **named).arguments
            made_from = [(name, value) for name, value in bound.items() if name not in TELLS]
            try:
                key = hashlib.sha256(pickle.dumps((work.__module__, work.__qualname__, made_from))).hexdigest()
            except (pickle.PicklingError, AttributeError):  # rows read their pictures by a function of their own
                return work(*wanted, **named)
            held = self._folder / key
            if not held.exists():
                made = pickle.dumps(work(*wanted, **named))
                with tempfile.NamedTemporaryFile(dir=self._folder, delete=False) as file:
                    file.write(made)
                os.replace(file.name, held)  # another worker may make the same meanwhile
            return pickle.loads(held.read_bytes())

        return asked


def made_once(patch: pytest.MonkeyPatch, folder: Path) -> None:
    once = MadeOnce(folder)
    patch.setattr(taking_in, "read_art", once(art.read_art))
    patch.setattr(line_finding, "separate", once(art.separate))
    patch.setattr(line_finding, "ready_marked_picture", once(line_finding.ready_marked_picture))
    patch.setattr(line_finding, "ready_page", once(line_finding.ready_page))
    patch.setattr(framing, "nest_in_frames", once(framing.nest_in_frames))
    for name in ("frame_files_of", "seen_of"):
        patch.setattr(plating, name, once(getattr(plating, name)))
