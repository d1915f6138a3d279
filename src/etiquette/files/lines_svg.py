"""LINES.svg: finish lines in a file. The user unit is mm, y down, (0, 0) the top left of the art; no transforms."""

import re
from dataclasses import dataclass
from typing import Self, get_args

import numpy as np
from lxml import etree

from etiquette.core.artwork.kinds import Kind
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.geometry.pens import SvgPen, figure
from etiquette.core.marking.frame_plans import FramePlan

_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
_COMMAND = re.compile(rf"\s*(?:(?P<letter>[MLCZ])|(?P<number>{_NUMBER}))[\s,]*")
_TAKES = {"M": 1, "L": 1, "C": 3, "Z": 0}
_SVG = "{http://www.w3.org/2000/svg}"


@dataclass(frozen=True)
class LinesFile:
    """Lines with y up and the lower left of the art at `origin` (mm); art `width_mm` × `height_mm`."""

    lines: list[FinishLine]
    width_mm: float
    height_mm: float
    origin: tuple[float, float] = (0.0, 0.0)

    @classmethod
    def of_frame(cls, plan: FramePlan, lines: list[FinishLine]) -> Self:
        """All lines of a frame, in the millimetres of its print."""
        x0, y0, x1, y1 = plan.work
        return cls(lines, x1 - x0, y1 - y0, (x0, y0))


def write_lines(file: LinesFile) -> str:
    """The text of a LINES.svg. The viewBox grows to hold lines that lie outside the art."""
    x0, y0 = file.origin
    bounds = [[0.0, 0.0], [file.width_mm, file.height_mm]]
    paths = []
    for line in file.lines:
        pen = SvgPen(file.height_mm)
        local = line.path.mapped(lambda points: points - (x0, y0))
        local.draw(pen)
        corners = np.vstack([local.start[None, :], *local.segments])
        bounds = [
            np.minimum(bounds[0], corners.min(axis=0)).tolist(),
            np.maximum(bounds[1], corners.max(axis=0)).tolist(),
        ]
        piece = f' data-piece="{line.piece}"' if line.piece is not None else ""
        paths.append(
            f'<path data-kind="{line.kind}"{piece} fill="none" stroke="#000" stroke-width="0.1" d="{pen.data}"/>'
        )
    (left, low), (right, high) = bounds
    box = " ".join(figure(value) for value in (left, file.height_mm - high, right - left, high - low))
    origin = f' data-origin="{figure(x0)},{figure(y0)}"' if file.origin != (0.0, 0.0) else ""
    size = (
        f'width="{figure(right - left)}mm" height="{figure(high - low)}mm" viewBox="{box}" '
        f'data-art="{figure(file.width_mm)},{figure(file.height_mm)}"'
    )
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size}{origin}>\n' + "\n".join(paths) + "\n</svg>\n"


def read_lines(text: bytes, where: str, may_be_none: bool = False) -> LinesFile:
    """The lines in a LINES.svg; `may_be_none`: of a frame that is not cut. Raises JobError."""
    try:
        parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=False)
        root = etree.fromstring(text, parser)
    except etree.XMLSyntaxError as error:
        raise JobError("The lines file is not readable SVG.", where, f"Make it again ({error}).") from None
    if root.tag not in (f"{_SVG}svg", "svg"):
        raise JobError("The lines file is not an SVG.", where, "Make it with the contour command.")
    origin = _pair(root.get("data-origin", "0,0"), where)
    width, height = _art_size(root, where)
    lines = []
    for element in root.iter(f"{_SVG}path", "path"):
        kind = element.get("data-kind", "kiss")
        if kind not in get_args(Kind):
            raise JobError(f"“{kind}” is not a kind of finish line.", where, f"Use {', '.join(get_args(Kind))}.")
        piece = element.get("data-piece", "")
        for path in _paths(element.get("d", ""), where):
            placed = path.mapped(lambda points: points * (1, -1) + (origin[0], origin[1] + height))
            lines.append(FinishLine(kind, placed, int(piece) if piece.isdigit() else None))
    if not lines and not may_be_none:
        raise JobError("There are no lines in the file.", where, "Find the edge first.")
    return LinesFile(lines, width, height, origin)


def _art_size(root: etree._Element, where: str) -> tuple[float, float]:
    if root.get("data-art"):
        return _pair(root.get("data-art"), where)
    box = [float(value) for value in re.findall(_NUMBER, root.get("viewBox", ""))]
    if len(box) != 4:
        raise JobError("The lines file does not say how large it is.", where, "Give it a viewBox in millimetres.")
    return box[2] + box[0], box[3] + box[1]


def _pair(text: str, where: str) -> tuple[float, float]:
    numbers = [float(value) for value in re.findall(_NUMBER, text)]
    if len(numbers) != 2:
        raise JobError(f"“{text}” is not a pair of numbers.", where, "Make the file again.")
    return numbers[0], numbers[1]


def _paths(data: str, where: str) -> list[Path]:
    """Paths of absolute M, L, C and Z, the only commands the format has."""
    at, letter, numbers = 0, "", []
    steps: list[tuple[str, np.ndarray]] = []
    while at < len(data):
        found = _COMMAND.match(data, at)
        if not found:
            raise JobError(
                f"The path cannot be read at “{data[at : at + 12]}”.", where, "Use absolute M, L, C and Z only."
            )
        at = found.end()
        if found["letter"]:
            letter = found["letter"]
            if letter == "Z":
                steps.append(("Z", np.zeros((0, 2))))
            continue
        numbers.append(float(found["number"]))
        if letter in ("", "Z") or len(numbers) < 2 * _TAKES[letter]:
            continue
        steps.append((letter, np.array(numbers).reshape(-1, 2)))
        numbers, letter = [], "L" if letter == "M" else letter
    return _assembled(steps)


def _assembled(steps: list[tuple[str, np.ndarray]]) -> list[Path]:
    paths: list[Path] = []
    start: np.ndarray | None = None
    segments: list[np.ndarray] = []

    def finish(closed: bool) -> None:
        if start is not None and segments:
            last = segments[-1][-1]
            if closed and not np.allclose(last, start, atol=1e-9):
                segments.append(start[None, :])
            paths.append(Path(start, tuple(segments), closed))

    for letter, points in steps:
        if letter == "M":
            finish(False)
            start, segments = points[0], []
        elif letter == "Z":
            finish(True)
            start, segments = (start, [])
        else:
            segments.append(points)
    finish(False)
    return paths
