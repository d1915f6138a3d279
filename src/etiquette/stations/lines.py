"""Lines: take in a design, give it its real size and its finish line."""

import hashlib
import json
from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.artwork.raster import read_picture
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import EdgeSettings, line_from_pixels
from etiquette.core.units import MM_PER_INCH
from etiquette.files.lines_svg import LinesFile, read_lines, write_lines
from etiquette.stations import edits
from etiquette.stations.edits import NotThere
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Job, LineResult
from etiquette.work.art_reader import ArtRead, read_art
from etiquette.work.tasks import Outcome, Report

MOST_UPLOAD_BYTES = 400 << 20
LINE_RECIPE = 4
"""Goes into the key of computed lines: raise it when the computation changes, and old results are made anew."""


class DesignDocument(BaseModel):
    """The settings of a design that are edited; `width_mm` None: nobody has said how large it is."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    name: str = Field(min_length=1, max_length=120)
    width_mm: float | None = Field(default=None, ge=0.5, le=20_000)
    due_count: int = Field(default=12, ge=1, le=100_000)
    kind: Literal["kiss", "through"] = "kiss"
    ground: str = Field(default="auto", pattern=r"^(auto|alpha|#[0-9a-f]{6}(,#[0-9a-f]{6}){0,7})$")
    distance: float = Field(default=10.0, ge=0, le=100)
    offset_mm: float = Field(default=2.0, ge=-50, le=100)
    min_area_mm2: float = Field(default=4.0, ge=0, le=10_000)
    holes: Literal["keep", "fill"] = "fill"
    merge_mm: float = Field(default=0.0, ge=0, le=100)
    corner_mm: float = Field(default=0.0, ge=0, le=50)
    tolerance_mm: float = Field(default=0.05, ge=0.005, le=1)
    follow: Literal["edge", "hull", "box", "ellipse"] = "edge"
    join: Literal["round", "mitre"] = "round"
    smooth_mm: float = Field(default=0.0, ge=0, le=50)
    turning: Literal["quarter", "half", "none", "free"] = "quarter"
    ready: bool = False

    def settings(self) -> EdgeSettings:
        return EdgeSettings(
            kind=self.kind,
            ground=self.ground,
            distance=self.distance,
            offset_mm=self.offset_mm,
            min_area_mm2=self.min_area_mm2,
            holes=self.holes,
            merge_mm=self.merge_mm,
            corner_mm=self.corner_mm,
            tolerance_mm=self.tolerance_mm,
            follow=self.follow,
            join=self.join,
            smooth_mm=self.smooth_mm,
        )


_SHAPES_THE_LINE = (
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
)


@dataclass(frozen=True)
class DesignState:
    """A design as a screen shows it."""

    design: Design
    document: DesignDocument
    lines_key: str | None
    lines: LineResult | None
    undo: str | None
    redo: str | None


def take_in(
    shop: Shop, content: bytes, file_name: str, job_id: int | None, document: dict[str, Any] | None = None
) -> int:
    """Read art, keep it, make a design of it. Raises JobError; nothing is kept then."""
    if len(content) > MOST_UPLOAD_BYTES:
        raise JobError(
            "The file is larger than 400 MB.",
            file_name,
            "Make it smaller: 300 pixels an inch at the printed size is plenty.",
        )
    art = read_art(content, file_name)
    return shop.database.within(lambda session: _add(shop, session, art, content, file_name, job_id, document or {}))


def _add(
    shop: Shop,
    session: Session,
    art: ArtRead,
    content: bytes,
    file_name: str,
    job_id: int | None,
    document: dict[str, Any],
) -> int:
    name = file_name.rsplit(".", 1)[0].replace("-", " ").replace("_", " ").strip() or "Design"
    job = session.get(Job, job_id) if job_id else None
    if job is None:
        job = Job(name=name[:120].capitalize(), customer="Walk-in", due=None)
        session.add(job)
    width = round(art.width_px / art.dpi * MM_PER_INCH, 4) if art.dpi else None
    fresh = DesignDocument(**{"name": name[:120].capitalize(), "width_mm": width, **document})
    session.flush()
    design = Design(
        job_id=job.id,
        art_sha=shop.blobs.put(session, content, "application/octet-stream"),
        picture_sha=shop.blobs.put(session, art.picture, "image/png"),
        thumb_sha=shop.blobs.put(session, art.thumb, "image/png"),
        file_name=file_name[:200],
        width_px=art.width_px,
        height_px=art.height_px,
        document=fresh.model_dump(),
    )
    session.add(design)
    session.flush()
    return design.id


def state_of(session: Session, design_id: int) -> DesignState:
    """Raises NotThere."""
    design = session.get(Design, design_id)
    if design is None:
        raise NotThere(
            "There is no such design.", f"design {design_id}", "Go back to the Floor and choose one that is there."
        )
    document = DesignDocument(**design.document)
    key = lines_key(design, document)
    undo, redo = edits.history(session, "design", design_id)
    return DesignState(design, document, key, session.get(LineResult, key) if key else None, undo, redo)


def lines_key(design: Design, document: DesignDocument) -> str | None:
    """Names the lines that this picture and these settings give; None while the size is not known."""
    if document.width_mm is None:
        return None
    parts = {name: getattr(document, name) for name in _SHAPES_THE_LINE}
    return hashlib.sha256(json.dumps([LINE_RECIPE, design.picture_sha, parts], sort_keys=True).encode()).hexdigest()


def change(session: Session, design_id: int, revision: int | None, words: str, changes: dict[str, Any]) -> None:
    """One edit. A change of the line takes "ready" back: somebody has to look again. Raises JobError, Stale."""
    design = edits.locked(session, "design", design_id)
    merged = {**design.document, **changes}
    if "ready" not in changes and any(
        name in changes and changes[name] != design.document.get(name) for name in _SHAPES_THE_LINE
    ):
        merged["ready"] = False
    checked = DesignDocument(**merged).model_dump()
    if checked["ready"] and checked["width_mm"] is None:
        raise JobError("The design has no size yet.", "size", "Type its width first.")
    edits.apply(
        session,
        "design",
        design_id,
        revision,
        words,
        {name: value for name, value in checked.items() if value != design.document.get(name)},
    )


def find_lines(shop: Shop, arguments: dict[str, Any], report: Report) -> Outcome:
    """Task: compute the lines of a design as it is now."""
    state = shop.database.within(lambda session: state_of(session, arguments["design_id"]))
    width, key = state.document.width_mm, state.lines_key
    if width is None or key is None:
        raise JobError("The design has no size yet.", "size", "Type its width first.")
    if state.lines is not None:
        return Outcome({"key": key})
    report(0.05, "Reading the picture")
    picture = read_picture(shop.blobs.read(state.design.picture_sha), state.design.file_name)
    lines, summary = line_from_pixels(
        picture, width, state.document.settings(), lambda share, words: report(share, words)
    )
    text = write_lines(LinesFile(lines, width, width * picture.height_px / picture.width_px))

    def publish(session: Session) -> None:
        if session.get(LineResult, key) is None:
            sha = shop.blobs.put(session, text.encode(), "image/svg+xml")
            session.add(LineResult(key=key, lines_sha=sha, summary=asdict(summary)))

    return Outcome({"key": key}, publish)


PREVIEW_TOLERANCE_PX = 0.5


def preview_lines(shop: Shop, design_id: int, changes: dict[str, Any]) -> LinesFile:
    """The lines that `changes` would give, on the reduced picture: for the eye while a control moves. Nothing is kept.
    Raises JobError."""
    state = shop.database.within(lambda session: state_of(session, design_id))
    document = DesignDocument(**{**state.design.document, **changes})
    if document.width_mm is None:
        raise JobError("The design has no size yet.", "size", "Type its width first.")
    picture = read_picture(shop.blobs.read(state.design.thumb_sha), state.design.file_name)
    coarse = PREVIEW_TOLERANCE_PX * document.width_mm / picture.width_px
    settings = replace(document.settings(), tolerance_mm=max(document.tolerance_mm, coarse))
    found, _ = line_from_pixels(picture, document.width_mm, settings)
    return LinesFile(found, document.width_mm, height_mm(state.design, document.width_mm))


def lines_of(shop: Shop, state: DesignState) -> LinesFile | None:
    """The computed lines, or None while there are none."""
    if state.lines is None:
        return None
    return read_lines(shop.blobs.read(state.lines.lines_sha), state.design.file_name)


def height_mm(design: Design, width_mm: float) -> float:
    return width_mm * design.height_px / design.width_px


def all_designs(session: Session) -> list[Design]:
    return list(session.scalars(select(Design).order_by(Design.id)))
