"""What goes over the wire of folded work."""

from typing import Annotated

from pydantic import BaseModel, Field

from etiquette.core.folding.forms import FormKind
from etiquette.stations.schemas import Asked, RowId

Size = Annotated[float, Field(ge=0, le=2000)]


class HingeShown(BaseModel):
    """A crease between two panels (by their numbers, from 0), and by how much it is folded: positive away from the
    printed side."""

    first: int
    second: int
    start: tuple[float, float]
    end: tuple[float, float]
    degrees: float


class FoldFinding(BaseModel):
    """What is wrong, or to be known, with its place in design millimetres."""

    tone: str
    words: str
    x: float
    y: float


class FoldShown(BaseModel):
    """Folded work: panels as rings in design millimetres, y up. `trouble`: why nothing can be folded."""

    width_mm: float
    height_mm: float
    panels: list[list[tuple[float, float]]]
    holes: list[list[list[tuple[float, float]]]]
    """Of every panel."""
    hinges: list[HingeShown]
    stays: int
    findings: list[FoldFinding]
    trouble: str | None


class FormAsked(Asked):
    kind: FormKind
    width_mm: Size
    depth_mm: Size = 0.0
    height_mm: Size
    thickness_mm: float = Field(default=0.0, ge=0, le=10)
    glue_mm: float = Field(default=12.0, ge=0, le=200)
    hole_mm: float = Field(default=0.0, ge=0, le=100)


class FormMade(FormAsked):
    name: str = Field(min_length=1, max_length=120)
    job_id: RowId | None = None


class FormLine(BaseModel):
    kind: str
    d: str


class FormShown(BaseModel):
    """A flat form: its size, its lines as SVG paths (mm, y down), its area."""

    width_mm: float
    height_mm: float
    lines: list[FormLine]
    area_mm2: float
    trouble: str | None


class DesignMade(BaseModel):
    design_id: int
