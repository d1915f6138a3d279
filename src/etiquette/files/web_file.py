"""WEB.json: a page of a label web, with its art, its mark and how it is cut."""

from collections.abc import Sequence
from math import inf
from typing import Annotated, Literal, Self, TypeVar

from pydantic import AfterValidator, BaseModel, Field, model_validator

from etiquette.core.planning.web_feeding import Feeding, Finds, Severs, feeding_problems
from etiquette.core.planning.web_marks import (
    Clearance,
    MarkRules,
    StationMark,
    WebMark,
    clearances,
    mark_of,
    station_boxes,
    station_clearances,
)
from etiquette.core.planning.web_shapes import MOST_POINTS, why_no_shape
from etiquette.core.planning.webs import (
    Applicator,
    Box,
    CutLook,
    Cylinder,
    Edges,
    Label,
    Problem,
    Rolls,
    Shape,
    Web,
    look_problems,
    problems,
)
from etiquette.files.contracts import Strict

Length = Annotated[float, Field(ge=0, le=2000)]
Size = Annotated[float, Field(ge=1, le=2000)]
Lengths = TypeVar("Lengths", bound=Sequence[float])


def rising(asked: Lengths) -> Lengths:
    """A range as it is asked; raises ValueError when its most comes first."""
    if list(asked) != sorted(asked):
        raise ValueError("the least comes first, then the most")
    return asked


Between = Annotated[tuple[Length, Length] | tuple[Length], AfterValidator(rising)]
"""The least and the most; the least alone: that and more."""


def _shape(asked: Shape) -> Shape:
    """Raises ValueError for a ring that is no shape."""
    if asked and (why := why_no_shape(asked)):
        raise ValueError(why)
    return asked


LabelShape = Annotated[Shape, Field(max_length=MOST_POINTS), AfterValidator(_shape)]
"""The cut as a ring of shares of the label's box, from its lower left corner; empty: a rectangle with round corners."""


class LabelFile(Strict):
    width_mm: Size
    height_mm: Size
    corner_mm: Length = 0.0
    shape: LabelShape = ()


class LabelArtFile(Strict):
    """Art of one label. Paths are relative to the folder of WEB.json."""

    id: Annotated[str, Field(min_length=1, max_length=120)]
    art: str
    page: Annotated[int, Field(ge=1)] = 1
    width_mm: Annotated[float, Field(gt=0.5, le=2000)] | None = None
    """None: as the file says. Its middle lies in the middle of the label; where it ends before the bleed does, its
    edge is carried outward."""


class UnprintedFile(Strict):
    """What the printer leaves unprinted at each edge of a page."""

    left_mm: Length = 0.0
    right_mm: Length = 0.0
    first_mm: Length = 0.0
    last_mm: Length = 0.0


class RulesOfMarkFile(Strict):
    """What a finisher asks of its mark; what is not named does not matter."""

    width_mm: Between
    height_mm: Between
    left_mm: Between | None = None
    bottom_mm: Between | None = None
    bottom_from: Literal["bottom", "top"] = "bottom"
    right_of_mark_mm: Length | None = None
    not_below_mark: bool = False
    right_free_mm: Length | None = None
    top_free_mm: Length | None = None
    longest_repeat_mm: Annotated[float, Field(gt=0, le=10_000)] | None = None

    def to_rules(self) -> MarkRules:
        values = self.model_dump()
        for name in ("width_mm", "height_mm", "left_mm", "bottom_mm"):
            if values[name] is not None:
                values[name] = (values[name][0], values[name][1] if len(values[name]) == 2 else inf)
        return MarkRules(**values)


class MarkFile(Strict):
    """A black mark, where its rules let it stand, or where it is put; `every`: one for so many repeats."""

    rules: RulesOfMarkFile
    every: Annotated[int, Field(ge=1, le=100)] = 1
    x_mm: Length | None = None
    y_mm: Length | None = None
    width_mm: Size | None = None
    height_mm: Size | None = None

    def to_mark(self, page_length_mm: float) -> WebMark:
        by_rules = mark_of(self.rules.to_rules(), page_length_mm)
        return WebMark(
            by_rules.x if self.x_mm is None else self.x_mm,
            by_rules.y if self.y_mm is None else self.y_mm,
            self.width_mm or by_rules.width_mm,
            self.height_mm or by_rules.height_mm,
        )


class StationMarkFile(Strict):
    """Marks beside every repeat for a rotary station, in a lane of the web that is theirs alone."""

    side: Literal["left", "right", "both"] = "left"
    edge_mm: Length
    width_mm: Size
    height_mm: Size
    first_mm: Length = 0.0
    lane_mm: Length = 0.0

    def to_station(self) -> StationMark:
        return StationMark(**self.model_dump())


class CutLookFile(Strict):
    stroke_mm: Annotated[float, Field(ge=0.01, le=5)] = 0.2
    inset_mm: Annotated[float, Field(ge=-20, le=20)] | None = None
    corner_mm: Length | None = None
    top_at_art: bool = False
    mark_last: bool = True


class RollsFile(Strict):
    count: Annotated[int, Field(ge=1, le=100_000_000)] = 1
    per_roll: Annotated[int, Field(ge=1, le=10_000_000)] | None = None
    slit: bool = True
    leader_mm: Annotated[float, Field(ge=0, le=100_000)] = 0.0
    tail_mm: Annotated[float, Field(ge=0, le=100_000)] = 0.0
    core_mm: Annotated[float, Field(ge=5, le=500)] = 76.0
    thickness_mm: Annotated[float, Field(ge=0, le=5)] = 0.0


class CylinderFile(Strict):
    """A cutting cylinder: its teeth and their pitch make its way round, `around` repeats lie on it. `plate_mm`: how
    thick a flexible plate is that is bent round it, 0 for a solid one."""

    teeth: Annotated[int, Field(ge=8, le=1000)]
    pitch_mm: Annotated[float, Field(ge=0.5, le=20)]
    around: Annotated[int, Field(ge=1, le=100)] = 1
    plate_mm: Annotated[float, Field(ge=0, le=3)] = 0.0

    def to_cylinder(self) -> Cylinder:
        return Cylinder(**self.model_dump())


class ApplicatorFile(Strict):
    least_gap_mm: Length | None = None
    unwinding: Annotated[int, Field(ge=1, le=8)] | None = None
    core_mm: Annotated[float, Field(ge=5, le=500)] | None = None
    most_outer_mm: Annotated[float, Field(ge=20, le=2000)] | None = None


class FeedingFile(Strict):
    """How the printer follows the web: whether its labels are cut already, what it finds them by, where it severs."""

    cut_already: bool = False
    finds: Finds = "nothing"
    severs: Severs = "end"
    every: Annotated[int, Field(ge=1, le=100_000)] = 1

    def to_feeding(self) -> Feeding:
        return Feeding(**self.model_dump())


class DieFile(Strict):
    """A die as figures: what a web takes from it."""

    label: LabelFile
    columns: Annotated[int, Field(ge=1, le=200)]
    rows: Annotated[int, Field(ge=1, le=500)]
    gap_across_mm: Length
    gap_along_mm: Length


class WebValues(BaseModel):
    """What a web is, whatever its art is called by."""

    label: LabelFile
    width_mm: Annotated[float, Field(ge=10, le=3000)]
    """Of the stock, liner and all."""
    columns: Annotated[int, Field(ge=1, le=200)] = 1
    rows: Annotated[int, Field(ge=1, le=500)] = 1
    gap_across_mm: Length = 0.0
    gap_along_mm: Length = 0.0
    repeat_mm: Annotated[float, Field(ge=1, le=5000)] | None = None
    cylinder: CylinderFile | None = None
    """Where there is one, the repeat is what it gives, whatever `repeat_mm` says."""
    from_left_mm: Length | None = None
    from_first_mm: Length | None = None
    bleed_mm: Annotated[float, Field(ge=0, le=50)] = 0.0
    unprinted: UnprintedFile = UnprintedFile()
    unwinding: Annotated[int, Field(ge=1, le=8)] = 1
    windings: Annotated[int, Field(ge=1, le=9)] = 1
    mark: MarkFile | None = None
    station: StationMarkFile | None = None
    cut: CutLookFile = CutLookFile()
    rolls: RollsFile = RollsFile()
    applicator: ApplicatorFile = ApplicatorFile()
    feeding: FeedingFile = FeedingFile()

    def to_web(self) -> Web:
        own = Web.__dataclass_fields__.keys() - {"label", "unprinted", "repeats"}
        values = {name: getattr(self, name) for name in own}
        values["repeats"] = self.mark.every if self.mark else 1
        if self.cylinder:
            values["repeat_mm"] = self.cylinder.to_cylinder().repeat_mm
        label, edges = Label(**self.label.model_dump()), Edges(**self.unprinted.model_dump())
        return Web(label=label, unprinted=edges, **values)

    def to_mark(self) -> WebMark | None:
        return self.mark.to_mark(self.to_web().length_mm) if self.mark else None

    def to_station_boxes(self) -> list[Box]:
        """Every mark of a rotary station on a page."""
        return station_boxes(self.to_web(), self.station.to_station()) if self.station else []

    def to_clearances(self) -> list[Clearance]:
        """Every rule of the marks with its measure."""
        web, mark = self.to_web(), self.to_mark()
        found = clearances(web, mark, self.mark.rules.to_rules()) if self.mark and mark else []
        return found + (station_clearances(web, self.station.to_station(), mark) if self.station else [])

    def what_is_wrong(self) -> list[str]:
        """Why it cannot be printed and cut so, in sentences."""
        rules = [one for one in self.to_clearances() if not one.kept]
        broken = [f"{one.words} is {one.there_mm:.2f} mm, not {one.asked}." for one in rules]
        return [f"{one.what} {one.do}" for one in self.problems()] + broken

    def problems(self) -> list[Problem]:
        """What cannot be printed or cut as it is set."""
        web = self.to_web()
        return (
            problems(web)
            + look_problems(web, self.to_look())
            + feeding_problems(web, self.feeding.to_feeding(), self.mark is not None)
        )

    def to_rolls(self) -> Rolls:
        return Rolls(**self.rolls.model_dump())

    def to_applicator(self) -> Applicator:
        return Applicator(**self.applicator.model_dump())

    def to_look(self) -> CutLook:
        return CutLook(**self.cut.model_dump())


class WebFile(WebValues, Strict):
    """`across`: the art of each column, by its id, again and again; none: the first everywhere."""

    version: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=120)] = "Labels"
    art: Annotated[list[LabelArtFile], Field(min_length=1, max_length=100)]
    across: Annotated[list[str], Field(max_length=200)] = []

    @model_validator(mode="after")
    def _art_is_named(self) -> Self:
        known = [one.id for one in self.art]
        if len(set(known)) < len(known):
            raise ValueError("two arts have one id")
        if missing := set(self.across) - set(known):
            raise ValueError(f"across names art that is not there: {', '.join(sorted(missing))}")
        return self
