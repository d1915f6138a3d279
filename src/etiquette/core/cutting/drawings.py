"""Lines as a drawing for any program: their kinds apart, at their true size."""

from collections.abc import Sequence
from typing import Literal

from etiquette.core.cutting import writers
from etiquette.core.cutting.motion import Motion, Stroke
from etiquette.core.cutting.profiles import DeviceProfile
from etiquette.core.finishing.lines import FinishLine

FLAT_MM = 0.01
DRAWN = DeviceProfile("drawing", "lines as they are, for any program", arcs=True, sets_force=False)
DrawingForm = Literal["svg", "pdf", "dxf"]
MEDIA: dict[DrawingForm, str] = {"svg": "image/svg+xml", "pdf": "application/pdf", "dxf": "image/vnd.dxf"}


def drawing(lines: Sequence[FinishLine], size_mm: tuple[float, float], form: DrawingForm) -> bytes:
    """`lines` on a page of `size_mm`, its lower left corner their origin; in a PDF and an SVG a layer a kind."""
    strokes = [Stroke(line.kind, line.path.flatten(FLAT_MM), number) for number, line in enumerate(lines)]
    motion = Motion(tuple(strokes), 0.0, 0.0, 0.0)
    if form == "pdf":
        return writers.pdf(motion, DRAWN, {}, (), size_mm)
    return writers.dxf(motion, DRAWN, {}) if form == "dxf" else writers.svg(motion, DRAWN, {}).encode()
