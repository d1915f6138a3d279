"""Pictures that cameras and scanners give, opened in a child of the door: what an eye answers is as foreign as a
file."""

from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from etiquette.core.errors import JobError
from etiquette.sandbox.door import Limits
from etiquette.sandbox.staying import Staying

LIMITS = Limits(seconds=30.0, bytes=2 << 30)


@dataclass(frozen=True)
class Look:
    """`form`: PNG, JPEG or TIFF; `dpi`: what it says of itself, 0 if nothing; `grey`: (height, width), uint8, or None
    where only the rest was asked for."""

    form: str
    dpi: float
    grey: NDArray[np.uint8] | None


class Looking:
    """Opens the pictures of one place: of an eye, of whoever brings a scan."""

    def __init__(self) -> None:
        self._child = Staying("look", LIMITS)

    def at(self, content: bytes, name: str, most_pixels: int, forms: tuple[str, ...], pixels: bool = True) -> Look:
        """A picture that can be read to its end; `name`: what it is, for sentences. Raises JobError: it cannot be read,
        it is of none of `forms`, or it has more than `most_pixels`."""
        note = {"name": name, "most": most_pixels, "forms": list(forms), "pixels": pixels}
        said, folder = self._child.ask(note, {"picture": content}, name)
        grey = None
        if pixels:
            height, width = (int(one) for one in said["size"])
            grey = np.frombuffer((folder / "grey").read_bytes(), np.uint8).reshape(height, width)
        form = str(said["form"])
        if form not in forms:
            raise JobError(f"This is no {name} that can be read.", name, "Save it again.")
        return Look(form, float(said["dpi"]), grey)


def looked_at(content: bytes, name: str, most_pixels: int, forms: tuple[str, ...], pixels: bool = True) -> Look:
    """One picture by itself (see Looking.at)."""
    return Looking().at(content, name, most_pixels, forms, pixels)


# --- the child


def read(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    name = note["name"]
    try:
        with Image.open(BytesIO((folder / "picture").read_bytes()), formats=note["forms"]) as picture:
            if picture.width * picture.height > note["most"]:
                raise JobError(f"The {name} has too many pixels.", name, "Take a smaller one, of what matters only.")
            dpi = float(picture.info.get("dpi", (0.0, 0.0))[0])
            grey = np.asarray(picture.convert("L"), dtype=np.uint8)  # to its end: one that was cut off is known now
            form = str(picture.format)
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        forms = ", ".join(note["forms"][:-1]) + f" or {note['forms'][-1]}"
        raise JobError(f"This is no {name} that can be read.", name, f"Save it as {forms}.") from None
    if note["pixels"]:
        (folder / "grey").write_bytes(grey.tobytes())
    return {"form": form, "dpi": dpi, "size": list(grey.shape)}
