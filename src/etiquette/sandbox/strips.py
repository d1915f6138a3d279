"""Pictures of printed colour strips, read behind the door."""

import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Any

from etiquette.core.calibrating.printed_strips import Lab, read_strip
from etiquette.core.marking.marks import MarkRecipe
from etiquette.files.documents.plates import PlanNote, PlateSetDocument
from etiquette.sandbox.art import PICTURES
from etiquette.sandbox.door import ask


def strip_in(content: bytes, name: str, plates: PlateSetDocument) -> dict[str, Lab]:
    """`core.calibrating.printed_strips.read_strip` of a picture as it was sent. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-strip-") as folder:
        (Path(folder) / "picture").write_bytes(content)
        note = {"name": name, "plan": plates.plan.model_dump(mode="json"), "marks": asdict(plates.marks)}
        said = ask("strip", Path(folder), note, PICTURES, name)
        return {patch: (lab[0], lab[1], lab[2]) for patch, lab in said.items()}


# --- the child


def read(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    from etiquette.core.artwork.raster import read_picture

    picture = read_picture((folder / "picture").read_bytes(), note["name"])
    plan = PlanNote.model_validate(note["plan"]).to_plan()
    return {**read_strip(picture.pixels, plan, MarkRecipe(**note["marks"]))}
