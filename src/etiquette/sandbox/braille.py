"""Text put into braille behind the door: liblouis reads whatever is typed, in a child of its own."""

import tempfile
from pathlib import Path
from typing import Any

from etiquette.core.tactile.signs import Dots
from etiquette.sandbox.door import Limits, ask

LIMITS = Limits(seconds=10.0, bytes=512 << 20)
TABLES_AT = Path("/usr/share/liblouis/tables")


def braille_of(text: str, table: str, sizes: str) -> Dots:
    """`text` as dots in one of the published sets of sizes. Raises JobError."""
    import numpy as np

    from etiquette.core.tactile.sizes import SIZES
    from etiquette.core.tactile.tables import Braille

    with tempfile.TemporaryDirectory(prefix="etq-braille-") as folder:
        note = {"text": text, "table": table, "sizes": sizes}
        said = ask("braille", Path(folder), note, LIMITS, "the text", reads=[TABLES_AT])
    made = Braille(tuple(said["cells"]), tuple(said["back"]))
    return Dots(made, SIZES[sizes], np.array(said["places"]), said["width_mm"], said["height_mm"])


# --- the child


def read(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    from etiquette.core.tactile.signs import set_out
    from etiquette.core.tactile.sizes import SIZES

    dots = set_out(note["text"], note["table"], SIZES[note["sizes"]])
    return {
        "cells": dots.braille.cells,
        "back": dots.braille.back,
        "places": dots.places.tolist(),
        "width_mm": dots.width_mm,
        "height_mm": dots.height_mm,
    }
