"""Designs: taking art in, its settings and their history, a newer file in its place."""

import hashlib
import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.line_rules import DEFAULT_RULES, LineRule, sort_paths
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import EdgeSettings
from etiquette.core.finishing.more_lines import Course, MoreLine
from etiquette.files.line_rules import RulesFile
from etiquette.files.vectors import read_vectors
from etiquette.stations import edits
from etiquette.stations.edits import NotThere, Stale
from etiquette.stations.shop import Shop
from etiquette.store.models import Art, Design, Edit, Job, LineResult, LineRules
from etiquette.work.art_reader import ArtRead, read_art

MOST_UPLOAD_BYTES = 400 << 20
LINE_RECIPE = 11
"""Goes into the key of computed lines: raise it when the computation changes, and old results are made anew."""


class MoreLineDocument(BaseModel):
    """A further line of a design, as files and screens write it."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    kind: Kind = "through"
    course: Course = "edge"
    offset_mm: float = Field(default=3.0, ge=-50, le=100)
    corner_mm: float = Field(default=0.0, ge=0, le=50)
    place_mm: float = Field(default=10.0, ge=-100, le=20_000)


class LineEdit(BaseModel):
    """A change by hand to one line, counted from 0 in the order in which the lines are found: another kind, or gone."""

    model_config = ConfigDict(extra="forbid")
    line: int = Field(ge=0, le=100_000)
    kind: Kind | None = None


class DesignDocument(BaseModel):
    """The settings of a design that are edited; `width_mm` None: nobody has said how large it is."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    name: str = Field(min_length=1, max_length=120)
    art_id: int
    width_mm: float | None = Field(default=None, ge=0.5, le=20_000)
    due_count: int = Field(default=12, ge=1, le=100_000)
    kind: Kind = "kiss"
    ground: str = Field(default="auto", pattern=r"^(auto|alpha|#[0-9a-f]{6}(,#[0-9a-f]{6}){0,7})$")
    distance: float = Field(default=10.0, ge=0, le=100)
    offset_mm: float = Field(default=2.0, ge=-50, le=100)
    min_area_mm2: float = Field(default=4.0, ge=0, le=10_000)
    holes: Literal["keep", "fill"] = "fill"
    merge_mm: float = Field(default=0.0, ge=0, le=100)
    corner_mm: float = Field(default=0.0, ge=0, le=50)
    tolerance_mm: float = Field(default=0.05, ge=0.005, le=1)
    follow: Literal["edge", "hull", "box", "ellipse", "none"] = "edge"
    join: Literal["round", "mitre"] = "round"
    smooth_mm: float = Field(default=0.0, ge=0, le=50)
    area: tuple[float, float, float, float] | None = None
    """The part of a picture in which an edge is looked for: x, y, width, height in mm from the top left."""
    more: list[MoreLineDocument] = Field(default=[], max_length=12)
    line_edits: list[LineEdit] = Field(default=[], max_length=2000)
    bleed_mm: float = Field(default=0.0, ge=0, le=50)
    turning: Literal["quarter", "half", "none", "free"] = "quarter"
    ready: bool = False

    @field_validator("area")
    @classmethod
    def _area_has_a_size(
        cls, area: tuple[float, float, float, float] | None
    ) -> tuple[float, float, float, float] | None:
        if area is not None and not (area[2] >= 0.5 and area[3] >= 0.5):
            raise ValueError("the area is too small")
        return area

    def settings(self) -> EdgeSettings:
        names = EdgeSettings.__dataclass_fields__
        values = {name: getattr(self, name) for name in names if name in type(self).model_fields}
        return EdgeSettings(**{**values, "follow": "edge" if self.follow == "none" else self.follow})

    def more_lines(self) -> list[MoreLine]:
        return [MoreLine(**line.model_dump()) for line in self.more]


_SHAPES_THE_LINE = (
    "art_id",
    "width_mm",
    "kind",
    "ground",
    "distance",
    "offset_mm",
    "min_area_mm2",
    "holes",
    "merge_mm",
    "corner_mm",
    "tolerance_mm",
    "follow",
    "join",
    "smooth_mm",
    "area",
    "more",
    "bleed_mm",
    "line_edits",
)
_LEAVES_LINES_IN_ORDER = ("bleed_mm", "line_edits", "width_mm", "tolerance_mm")


@dataclass(frozen=True)
class DesignState:
    """A design as a screen shows it."""

    design: Design
    document: DesignDocument
    art: Art
    rules: tuple[LineRule, ...]
    lines_key: str | None
    lines: LineResult | None
    undo: str | None
    redo: str | None

    @property
    def height_mm(self) -> float | None:
        return height_mm(self.art, self.document.width_mm) if self.document.width_mm else None


@dataclass(frozen=True)
class Version:
    """A state a design had: after the edit `id` (0: as it was taken in), in words."""

    id: int
    words: str
    at: datetime


def take_in(
    shop: Shop, content: bytes, file_name: str, job_id: int | None, document: dict[str, Any] | None = None
) -> list[int]:
    """Read art, keep it, make a design of each picture or page. Raises JobError; nothing is kept then."""
    pages = _read(content, file_name)
    return shop.database.within(lambda session: _add(shop, session, pages, content, file_name, job_id, document or {}))


def _read(content: bytes, file_name: str) -> list[ArtRead]:
    if len(content) > MOST_UPLOAD_BYTES:
        raise JobError(
            "The file is larger than 400 MB.",
            file_name,
            "Make it smaller: 300 pixels an inch at the printed size is plenty.",
        )
    return read_art(content, file_name)


def _add(
    shop: Shop,
    session: Session,
    pages: list[ArtRead],
    content: bytes,
    file_name: str,
    job_id: int | None,
    document: dict[str, Any],
) -> list[int]:
    plain = file_name.rsplit(".", 1)[0].replace("-", " ").replace("_", " ").strip() or "Design"
    name = plain[:110].capitalize()
    job = session.get(Job, job_id) if job_id else None
    if job is None:
        job = Job(name=name, customer="Walk-in", due=None)
        session.add(job)
    session.flush()
    made = []
    for page in pages:
        art = _kept(shop, session, page, file_name)
        own = name if len(pages) == 1 else f"{name}, page {page.page + 1}"
        has_lines = page.vectors is not None and bool(
            sort_paths(read_vectors(page.vectors).paths, rules_of(session)).caught
        )
        values = {"name": own, "width_mm": page.width_mm, "follow": "none" if has_lines else "edge", **document}
        fresh = DesignDocument(**values, art_id=art.id)
        design = Design(job_id=job.id, document=fresh.model_dump())
        session.add(design)
        session.flush()
        made.append(design.id)
    return made


def _kept(shop: Shop, session: Session, page: ArtRead, file_name: str) -> Art:
    media = {"picture": "application/octet-stream", "pdf": "application/pdf", "svg": "image/svg+xml", "dxf": "image/vnd.dxf"}  # fmt: skip
    natural = page.natural_mm or (None, None)
    art = Art(
        form=page.form,
        file_name=file_name[:200],
        page=page.page,
        content_sha=shop.blobs.put(session, page.content, media[page.form]),
        picture_sha=shop.blobs.put(session, page.picture, "image/png"),
        thumb_sha=shop.blobs.put(session, page.thumb, "image/png"),
        vectors_sha=shop.blobs.put(session, page.vectors, "application/gzip") if page.vectors else None,
        width_px=page.width_px,
        height_px=page.height_px,
        natural_width_mm=natural[0],
        natural_height_mm=natural[1],
    )
    session.add(art)
    session.flush()
    return art


def replace_art(shop: Shop, design_id: int, content: bytes, file_name: str) -> None:
    """Put a newer file in the place of a design's art; every setting stays, and undo gives the old art back. Of a file
    with several pages the same page is taken. Raises JobError, NotThere."""
    pages = _read(content, file_name)

    def put(session: Session) -> None:
        state = state_of(session, design_id)
        if state.art.page >= len(pages):
            raise JobError(
                f"The new file has {len(pages)} pages; this design is page {state.art.page + 1}.",
                file_name,
                "Take it in as a new design.",
            )
        art = _kept(shop, session, pages[state.art.page], file_name)
        change(session, design_id, None, f"newer art: {file_name}"[:200], {"art_id": art.id})

    shop.database.within(put)


def state_of(session: Session, design_id: int) -> DesignState:
    """Raises NotThere."""
    design = session.get(Design, design_id)
    if design is None:
        raise NotThere(
            "There is no such design.", f"design {design_id}", "Go back to the Floor and choose one that is there."
        )
    document = DesignDocument(**design.document)
    art = session.get_one(Art, document.art_id)
    rules = rules_of(session)
    key = lines_key(art, document, rules)
    undo, redo = edits.history(session, "design", design_id)
    return DesignState(design, document, art, rules, key, session.get(LineResult, key) if key else None, undo, redo)


def lines_key(art: Art, document: DesignDocument, rules: tuple[LineRule, ...]) -> str | None:
    """Names the lines that this art, these settings and, for vector art, these rules give; None while the size is not
    known."""
    if document.width_mm is None:
        return None
    values = document.model_dump(include=set(_SHAPES_THE_LINE) - {"art_id"})
    ruled = RulesFile.of(rules).model_dump()["rules"] if art.vectors_sha else []
    parts = [LINE_RECIPE, art.content_sha, values, ruled]
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()


def change(session: Session, design_id: int, revision: int | None, words: str, changes: dict[str, Any]) -> None:
    """One edit. A change of the line takes "ready" back: somebody has to look again. Raises JobError, Stale."""
    design = edits.locked(session, "design", design_id)
    merged = {**design.document, **changes}
    if "ready" not in changes and any(
        name in changes and changes[name] != design.document.get(name) for name in _SHAPES_THE_LINE
    ):
        merged["ready"] = False
    if (
        merged.get("line_edits")
        and "line_edits" not in changes
        and any(
            name in changes and changes[name] != design.document.get(name)
            for name in _SHAPES_THE_LINE
            if name not in _LEAVES_LINES_IN_ORDER
        )
    ):
        merged["line_edits"] = []  # the lines are found anew: what was the third may be the fifth now
    document = DesignDocument(**merged)
    if session.get(Art, document.art_id) is None:
        raise JobError("There is no such art.", document.name, "Take the file in again.")
    if document.ready and document.width_mm is None:
        raise JobError("The design has no size yet.", "size", "Type its width first.")
    checked = document.model_dump()
    edits.apply(
        session,
        "design",
        design_id,
        revision,
        words,
        {name: value for name, value in checked.items() if value != design.document.get(name)},
    )


def versions_of(session: Session, design_id: int) -> list[Version]:
    """Every state the design had, newest first; undone ones are not among them."""
    design = edits.locked(session, "design", design_id)
    found = session.scalars(_done_edits(design_id).order_by(Edit.id.desc()))
    return [*(Version(edit.id, edit.words, edit.at) for edit in found), Version(0, "as taken in", design.created_at)]


def _done_edits(design_id: int) -> Any:
    return select(Edit).where(Edit.subject == "design", Edit.subject_id == design_id, Edit.undone.is_(False))


def return_to(session: Session, design_id: int, revision: int, version_id: int) -> None:
    """Set the design back to a version; that is an edit too, so it can be undone. Raises NotThere, Stale."""
    design = edits.locked(session, "design", design_id)
    version = next((one for one in versions_of(session, design_id) if one.id == version_id), None)
    if version is None:
        raise NotThere("There is no such version.", design.document["name"], "Choose one from the list.")
    document = dict(design.document)
    for edit in session.scalars(_done_edits(design_id).where(Edit.id > version_id).order_by(Edit.id.desc())):
        document.update(edit.backward)
    edits.apply(
        session,
        "design",
        design_id,
        revision,
        f"back to: {version.words}"[:200],
        {name: value for name, value in document.items() if value != design.document.get(name)},
    )


def rules_of(session: Session) -> tuple[LineRule, ...]:
    """The shop's line rules; the default ones until somebody changed them."""
    held = session.get(LineRules, 1)
    if held is None:
        return DEFAULT_RULES
    return RulesFile(**held.rules).to_rules()


def rules_version(session: Session) -> int:
    """Rises with every change of the line rules; 0 while they are the default ones."""
    held = session.get(LineRules, 1)
    return held.version if held else 0


def keep_rules(session: Session, version: int, rules: RulesFile) -> None:
    """Raises Stale when somebody else changed them since `version`."""
    held = session.get(LineRules, 1, with_for_update=True)
    if version != (held.version if held else 0):
        raise Stale("design", 0, held.version if held else 0)
    if held is None:
        session.add(LineRules(id=1, rules=rules.model_dump()))
    else:
        held.rules = rules.model_dump()


def height_mm(art: Art, width_mm: float) -> float:
    if art.natural_width_mm and art.natural_height_mm:
        return width_mm * art.natural_height_mm / art.natural_width_mm
    return width_mm * art.height_px / art.width_px


def all_designs(session: Session) -> list[Design]:
    return list(session.scalars(select(Design).order_by(Design.id)))
