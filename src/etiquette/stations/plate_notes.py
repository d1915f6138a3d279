"""What the row of a plate says of its frame, as plain values, and back."""

from typing import Any

from shapely import Polygon

from etiquette.core.marking.codes import FrameCode
from etiquette.core.marking.frames import CodePlace, FramePlan, Mark
from etiquette.core.marking.marks import MarkRecipe


def plan_note(plan: FramePlan) -> dict[str, Any]:
    return {
        "marks": [[mark.id, mark.x, mark.y] for mark in plan.marks],
        "codes": [[one.code.frame, one.code.end, one.x, one.y, one.kind, one.module_mm] for one in plan.codes],
        "arrow": [list(point) for point in plan.arrow.exterior.coords[:-1]],
        "slug": plan.slug,
        "slug_at": list(plan.slug_at),
        "shift": list(plan.shift),
        "width_mm": plan.width_mm,
        "length_mm": plan.length_mm,
        "work": list(plan.work),
    }


def plan_from(note: dict[str, Any]) -> FramePlan:
    # notes of former versions end with the side of the code, a Data Matrix of 0.8 mm
    codes = tuple(
        CodePlace(FrameCode(frame, end), x, y, *(more if len(more) == 2 else ("data matrix", 0.8)))
        for frame, end, x, y, *more in note["codes"]
    )
    return FramePlan(
        marks=tuple(Mark(*mark) for mark in note["marks"]),
        codes=(codes[0], codes[1]),
        arrow=Polygon(note["arrow"]),
        slug=note["slug"],
        slug_at=tuple(note["slug_at"]),
        shift=tuple(note["shift"]),
        width_mm=note["width_mm"],
        length_mm=note["length_mm"],
        work=tuple(note["work"]),
    )


def recipe_from(summary: dict[str, Any]) -> MarkRecipe:
    """The marks of a plate; plates of former versions had discs only."""
    return MarkRecipe(**summary["marks"]) if "marks" in summary else MarkRecipe(size_mm=summary["diameter_mm"])
