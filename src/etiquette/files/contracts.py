"""The JSON file contracts as Pydantic models: PROBLEM, LAYOUT, MARKS, FIT. Their schemas are in docs/schemas/."""

from collections.abc import Sequence
from typing import Annotated, Literal, TypeVar

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from shapely import box

from etiquette.core.aligning.fitting import Fit, ReadMark
from etiquette.core.aligning.models import ModelName, Transform
from etiquette.core.errors import JobError
from etiquette.core.geometry.polygons import checked_polygon
from etiquette.core.planning.problem import Layout, Piece, Placement, Problem, Turning, Unplaced

Point = tuple[float, float]
Length = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]
Contract = TypeVar("Contract", bound=BaseModel)


class Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)


class StockFile(Strict):
    width_mm: Annotated[float, Field(gt=0, le=1e5)]
    length_mm: Annotated[float, Field(gt=0, le=1e6)] | None = None


class KeepOutFile(Strict):
    x: float
    y: float
    w: Length
    h: Length


class PlacementFile(Strict):
    id: str
    copy_: Annotated[int, Field(alias="copy", ge=1)] = 1
    sheet: Annotated[int, Field(ge=0)] = 0
    x_mm: float
    y_mm: float
    rotation_deg: float = 0.0
    model_config = ConfigDict(
        extra="forbid", populate_by_name=True, allow_inf_nan=False, json_schema_serialization_defaults_required=True
    )


class PieceFile(Strict):
    id: str
    count: Annotated[int, Field(ge=0, le=100_000)]
    outline: list[Point]
    holes: list[list[Point]] = []
    rotations: list[float] | Literal["free"] | None = None


class ProblemFile(Strict):
    """PROBLEM.json"""

    stock: StockFile
    edge_mm: Length = 0
    gap_mm: Length = 0
    rotations: list[float] | Literal["free"] = [0.0]
    seconds: Annotated[float, Field(gt=0, le=86_400)] | None = 10
    steps: Annotated[int, Field(ge=1)] | None = None
    seed: int = 1
    use_holes: bool = False
    keep_out: list[KeepOutFile] = []
    pinned: list[PlacementFile] = []
    pieces: list[PieceFile]

    def to_problem(self) -> Problem:
        """Outlines that cannot be used are listed as refused. Raises JobError when none can, and for names that
        are used twice or not known."""
        names = [piece.id for piece in self.pieces]
        twice = {name for name in names if names.count(name) > 1}
        if twice:
            raise JobError(f"Two pieces are called {min(twice)}.", min(twice), "Give every piece its own id.")
        strangers = {placement.id for placement in self.pinned} - set(names)
        if strangers:
            raise JobError(
                f"A pinned piece {min(strangers)} is not among the pieces.", "pinned", "Add it to the pieces."
            )
        pieces, refused, first = [], [], None
        for file in self.pieces:
            try:
                outline = checked_polygon(np.array(file.outline), [np.array(hole) for hole in file.holes], file.id)
            except JobError as error:
                # one bad outline is no reason to leave the others out
                first = first or error
                refused.append(Unplaced(file.id, file.count, f"{error.what} {error.do}"))
                continue
            turning = _turning(self.rotations if file.rotations is None else file.rotations)
            pieces.append(Piece(file.id, outline, file.count, turning))
        if first and not pieces:
            raise first
        lost = {pin.id for pin in self.pinned} & {one.id for one in refused}
        if lost:
            raise JobError(
                f"The pinned piece {min(lost)} has an outline that cannot be used.",
                min(lost),
                "Repair the outline and try again.",
            )
        return Problem(
            width_mm=self.stock.width_mm,
            length_mm=self.stock.length_mm,
            edge_mm=self.edge_mm,
            gap_mm=self.gap_mm,
            pieces=tuple(pieces),
            seconds=self.seconds,
            steps=self.steps,
            seed=self.seed,
            use_holes=self.use_holes,
            keep_out=tuple(box(k.x, k.y, k.x + k.w, k.y + k.h) for k in self.keep_out if k.w and k.h),
            pinned=tuple(Placement(p.id, p.copy_, p.sheet, p.x_mm, p.y_mm, p.rotation_deg) for p in self.pinned),
            refused=tuple(refused),
        )


def _turning(rotations: Sequence[float] | Literal["free"]) -> Turning:
    if rotations == "free":
        return "free"
    return tuple(float(r) for r in rotations) or (0.0,)


class UnplacedFile(Strict):
    id: str
    count: int
    reason: str


class LayoutFile(Strict):
    """LAYOUT.json"""

    length_mm: float
    utilisation: float
    seconds: float
    stopped: Literal["time", "steps", "optimal", "cancelled"]
    placements: list[PlacementFile]
    unplaced: list[UnplacedFile] = []

    @classmethod
    def of(cls, layout: Layout) -> "LayoutFile":
        return cls(
            length_mm=layout.length_mm,
            utilisation=layout.utilisation,
            seconds=layout.seconds,
            stopped=layout.stopped,
            placements=[
                PlacementFile(
                    id=p.id, copy_=p.copy, sheet=p.sheet, x_mm=p.x_mm, y_mm=p.y_mm, rotation_deg=p.rotation_deg
                )
                for p in layout.placements
            ],
            unplaced=[UnplacedFile(id=u.id, count=u.count, reason=u.reason) for u in layout.unplaced],
        )

    def to_placements(self) -> list[Placement]:
        return [Placement(p.id, p.copy_, p.sheet, p.x_mm, p.y_mm, p.rotation_deg) for p in self.placements]


class MarkFile(Strict):
    id: str
    nominal: Point
    measured: Point | None = None


class MarksFile(Strict):
    """MARKS.json"""

    tolerance_mm: Annotated[float, Field(gt=0)] = 0.3
    model: str = "auto"
    marks: list[MarkFile]
    probe: list[Point] = []

    def to_marks(self) -> list[ReadMark]:
        return [ReadMark(mark.id, mark.nominal, mark.measured) for mark in self.marks]


class TransformFile(Strict):
    """What carries planned points to the cutter: the form is told in `core.aligning.models.Transform`."""

    kind: ModelName
    origin: Point
    scale: float
    x: list[float]
    y: list[float]
    bottom: list[float] = [1.0, 0.0, 0.0]
    centres: list[Point] = []
    weights: list[Point] = []
    reach: float = 0.0

    @classmethod
    def of(cls, transform: Transform) -> "TransformFile":
        return cls(
            kind=transform.kind,
            origin=(float(transform.origin[0]), float(transform.origin[1])),
            scale=transform.scale,
            x=transform.x.tolist(),
            y=transform.y.tolist(),
            bottom=transform.bottom.tolist(),
            centres=transform.centres.tolist(),
            weights=transform.weights.tolist(),
            reach=transform.reach,
        )

    def to_transform(self) -> Transform:
        return Transform(
            self.kind,
            np.array(self.origin),
            self.scale,
            np.array(self.x),
            np.array(self.y),
            np.array(self.bottom),
            np.array(self.centres).reshape(-1, 2),
            np.array(self.weights).reshape(-1, 2),
            self.reach,
        )


class ResidualFile(Strict):
    id: str
    dx: float
    dy: float
    used: bool
    reason: str | None = None


class PredictedFile(Strict):
    median: float
    p95: float
    max: float


class FitFile(Strict):
    """FIT.json"""

    model: ModelName
    load: Literal["head", "tail"]
    transform: TransformFile
    residuals: list[ResidualFile]
    rms_mm: float
    max_mm: float
    predicted_error_mm: PredictedFile
    verdict: Literal["go", "check", "stop"]
    reasons: list[str]
    mapped: list[Point]

    @classmethod
    def of(cls, fit: Fit) -> "FitFile":
        return cls(
            model=fit.transform.kind,
            load=fit.load,
            transform=TransformFile.of(fit.transform),
            residuals=[
                ResidualFile(id=r.id, dx=round(r.dx, 5), dy=round(r.dy, 5), used=r.used, reason=r.reason)
                for r in fit.residuals
            ],
            rms_mm=round(fit.rms_mm, 5),
            max_mm=round(fit.max_mm, 5),
            predicted_error_mm=PredictedFile(
                **dict(zip(("median", "p95", "max"), (round(v, 4) for v in fit.predicted), strict=True))
            ),
            verdict=fit.verdict,
            reasons=list(fit.reasons),
            mapped=[(round(float(x), 5), round(float(y), 5)) for x, y in fit.mapped],
        )


def parse_file(contract: type[Contract], text: bytes, where: str) -> Contract:
    """`text` as a `contract`. Raises JobError that names the first place that is wrong."""
    try:
        return contract.model_validate_json(text)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        place = ".".join(str(part) for part in first["loc"]) or "the file"
        raise JobError(
            f"{where} is not as it should be at {place}: {first['msg']}.", place, "Compare it with docs/formats.md."
        ) from None
