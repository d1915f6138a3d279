"""What goes over the wire at Lines."""

from datetime import datetime
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints

from etiquette.core.artwork.forms import Form
from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.line_rules import Word
from etiquette.core.artwork.path_picks import Likeness
from etiquette.files.documents.designs import DesignChanges, DesignDocument
from etiquette.files.documents.lines import LinesDocument
from etiquette.files.line_rules import RuleFile, RulesFile
from etiquette.stations.lines.taking_in import ArrangeStep
from etiquette.stations.schemas import Asked, ChangesAsked, EditAsked, LineShown, Revision


class PreviewAsked(ChangesAsked):
    changes: DesignChanges  # type: ignore[valid-type]


class PreviewShown(BaseModel):
    lines: list[LineShown]


class SpecialShown(BaseModel):
    """A special ink of the shop on a design: where it goes, as SVG path data."""

    ink: int
    name: str
    look: tuple[float, float, float, float]
    """CMYK shares from 0 to 1."""
    d: str | None


class DesignShown(BaseModel):
    id: int
    revision: int
    job: str
    job_id: int
    customer: str
    form: Form
    art_id: int
    cleared_at: datetime | None
    """When its art went, with finished work."""
    natural_width_mm: float | None
    natural_height_mm: float | None
    size_known: bool
    """Whether the file itself says how large it is."""
    file_name: str
    width_px: int
    height_px: int
    height_mm: float | None
    dpi: float | None
    document: DesignDocument
    lines: list[LineShown] | None
    summary: LinesDocument | None
    meanings: dict[Word, Kind]
    white: str | None
    """SVG path data as of lines, filled by the even-odd rule; None where nothing is."""
    clear: str | None
    specials: list[SpecialShown]
    undo: str | None
    redo: str | None


class DesignListed(BaseModel):
    id: int
    job_id: int
    name: str
    customer: str
    due_count: int
    planned: int
    """Pieces that are in runs."""
    ready: bool
    width_mm: float | None
    height_mm: float | None
    art_id: int
    form: Form


FileName = Annotated[str, StringConstraints(max_length=400)]


class FilesDropped(Asked):
    """Names of files that were dropped together, with the folders they lie in: `tins/jar.pdf`."""

    names: Annotated[list[FileName], Field(max_length=20_000)]


class FilesTogether(BaseModel):
    sets: list[list[int]]
    """Places of names that are to be taken in together, the art first, then its white and clear."""


class DesignsMade(BaseModel):
    ids: list[int]
    job_id: int
    finding: int | None = None
    """The task that finds the lines of the first."""


class VersionShown(BaseModel):
    id: int
    words: str
    at: datetime


class ReturnAsked(Asked):
    revision: Revision
    version: Revision


class MarksAsked(Asked):
    """`at`: the mark that lies there and its like, in millimetres from the lower left corner of the page; None: all
    that are found."""

    revision: Revision
    at: tuple[float, float] | None = None


class PathAsked(Asked):
    """A path of the art is pressed. `at`: in millimetres from its lower left corner; `kind`: of the line it becomes."""

    revision: Revision
    at: tuple[float, float]
    reach_mm: float = Field(default=1.0, gt=0, le=50)
    kind: Kind = "kiss"


class LikeAsked(Asked):
    """All that is like the path `number` is what that is."""

    revision: Revision
    number: int = Field(ge=0, le=10_000_000)
    by: Likeness


class AlikeSetting(BaseModel):
    """A setting of a design: `others` of its job have it otherwise; `chosen`: somebody has set it here. `mm`: a length,
    which a screen says in its own unit; `words` say any other."""

    key: str
    label: str
    words: str
    mm: float | None
    others: int
    chosen: bool


class AlikeShown(BaseModel):
    """`waiting`: how many others of its job nobody has looked at."""

    waiting: int
    settings: list[AlikeSetting]


class AlikeAsked(Asked):
    keys: list[Annotated[str, Field(max_length=40)]] = Field(min_length=1, max_length=60)


class AlikeMade(BaseModel):
    changed: int


class RuleFrom(Asked):
    number: int = Field(ge=0, le=10_000_000)
    by: Likeness


class PathPressed(BaseModel):
    """The path that was pressed last: `kind` None: it is art. `like`: how many others there are of each likeness."""

    design: DesignShown
    number: int
    kind: Kind | None
    layer: str
    colour: str
    spots: list[str]
    stroke_mm: float | None
    like: dict[Likeness, int]


class MeaningAsked(Asked):
    word: Word
    means: Kind


class ArrangeAsked(Asked):
    revision: Revision
    step: ArrangeStep


class RulesShown(BaseModel):
    version: int
    rules: list[RuleFile]
    names: dict[Kind, str]
    """The shop's own names for kinds of line."""
    numbered: list[Literal["colour", "white", "clear"]]
    """What a number at the end of a file's name says, from 1."""


class RulesAsked(RulesFile):
    version: Revision


class RulesTried(BaseModel):
    """What rules would catch in one design's art."""

    caught: dict[str, int]
    why: list[str]
    suspects: int
    names: list[str]
    """Layers and spots in the art."""


class DesignEdit(EditAsked):
    changes: DesignChanges  # type: ignore[valid-type]
