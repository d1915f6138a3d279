"""Whether a sheet still lies where its marks were read, while it is cut."""

import numpy as np

from etiquette.core.aligning.mark_finding import find_marks
from etiquette.core.errors import JobError
from etiquette.core.marking.marks import MarkRecipe
from etiquette.devices.eyes import OpticalHead
from etiquette.files.documents.sheets import ReadingDocument
from etiquette.stations.machines import CutterHere

SLIPPED_MM = 0.15
"""A mark that has moved by more since it was read: the media slipped."""
OFF_MM = {"head": 0.0, "photo": 0.25, "hand": 0.8}
"""How far the head may see a mark beside where it was read, by what read it."""


class Watch:
    """Looks again and again at a mark that was read: it has to lie where it lay. Without an eye nothing is known."""

    def __init__(self, recipe: MarkRecipe, reading: ReadingDocument, cutter: CutterHere) -> None:
        used = {one.id for one in reading.fit.residuals if one.used}
        self._marks = [mark.measured for mark in reading.marks if mark.measured and mark.id in used]
        self._seen: dict[int, tuple[float, float]] = {}
        self._first_mm = SLIPPED_MM + OFF_MM[reading.by]
        self._recipe, self._cutter = recipe, cutter

    def refuse_other_sheet(self, head: OpticalHead | None) -> None:
        """The first mark has to be where it was read. Raises JobError: another sheet lies there, or it was moved."""
        if head is None or not self._marks:
            return
        x, y = self._marks[0]
        if not find_marks(self._cutter.setting.corrected(head, x, y), self._recipe):
            raise JobError(
                "The first mark is not where it was read.",
                self._cutter.name,
                "Look whether the right sheet lies there, and read its marks again.",
            )

    def moved_mm(self, head: OpticalHead | None, near: np.ndarray) -> float:
        """How far the mark nearest to `near` has moved; 0 while that is too little to be a slip. A mark that is not
        seen tells nothing."""
        if head is None or not self._marks:
            return 0.0
        number = min(range(len(self._marks)), key=lambda one: float(np.hypot(*(np.array(self._marks[one]) - near))))
        x, y = self._seen.get(number, self._marks[number])
        seen = find_marks(self._cutter.setting.corrected(head, x, y), self._recipe)
        if not seen:
            return 0.0
        now = min(seen, key=lambda one: float(np.hypot(one.x - x, one.y - y)))
        moved = float(np.hypot(now.x - x, now.y - y))
        if moved > (SLIPPED_MM if number in self._seen else self._first_mm):
            return moved
        self._seen.setdefault(number, (now.x, now.y))
        return 0.0
