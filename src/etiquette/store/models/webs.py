"""Label webs, and the files that were made of them."""

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, Computed, ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from etiquette.files.documents.webs import WebDocument
from etiquette.store.documents import Held
from etiquette.store.models.base import Base, Sha, now


class LabelWeb(Base):
    """One repeat of labels and how much of it is wanted. `document` holds its settings; every change is an Edit."""

    __tablename__ = "label_web"
    id: Mapped[int] = mapped_column(primary_key=True)
    document_json: Mapped[dict[str, Any]] = mapped_column("document")
    document = Held(WebDocument, "document_json")
    name: Mapped[str | None] = mapped_column(
        String(120), Computed("left(json_value(document, '$.name'), 120)", persisted=True), index=True
    )
    """Kept from the document by the database."""
    inks: Mapped[dict[str, float] | None] = mapped_column(JSON)
    """The share of a page that each ink covers, of the files that were made last."""
    revision: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(default=now)


class Finisher(Base):
    """What a finisher asks of its black mark, under the shop's own name."""

    __tablename__ = "finisher"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    width_mm: Mapped[list[float]] = mapped_column(JSON, default=list, server_default="[]")
    """The least and the most, or the least alone; so with the next three, where nothing is no rule."""
    height_mm: Mapped[list[float]] = mapped_column(JSON, default=list, server_default="[]")
    left_mm: Mapped[list[float]] = mapped_column(JSON, default=list, server_default="[]")
    bottom_mm: Mapped[list[float]] = mapped_column(JSON, default=list, server_default="[]")
    bottom_from: Mapped[str] = mapped_column(String(10), default="bottom", server_default="bottom")
    not_below_mark: Mapped[bool] = mapped_column(default=False, server_default="0")
    right_of_mark_mm: Mapped[float | None]
    right_free_mm: Mapped[float | None]
    top_free_mm: Mapped[float | None]
    longest_repeat_mm: Mapped[float | None]
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: not offered any more."""
    version: Mapped[int] = mapped_column(default=1, server_default="1")
    __mapper_args__ = {"version_id_col": version}


class KeptDie(Base):
    """A die: what a web takes from it. One that was read from a drawing has the name of its file."""

    __tablename__ = "die"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    label_width_mm: Mapped[float] = mapped_column(server_default="0")
    label_height_mm: Mapped[float] = mapped_column(server_default="0")
    corner_mm: Mapped[float] = mapped_column(server_default="0")
    shape: Mapped[list[list[float]]] = mapped_column(JSON, default=list, server_default="[]")
    """What labels are cut to, a ring of shares of their box; empty: rectangles with round corners."""
    columns: Mapped[int] = mapped_column(server_default="0")
    rows: Mapped[int] = mapped_column(server_default="0")
    gap_across_mm: Mapped[float] = mapped_column(server_default="0")
    gap_along_mm: Mapped[float] = mapped_column(server_default="0")
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: not offered any more."""
    version: Mapped[int] = mapped_column(default=1, server_default="1")
    __mapper_args__ = {"version_id_col": version}


class WebPart(Base):
    """A file of the pair that was made last; `key` names all that it was made from."""

    __tablename__ = "web_part"
    web_id: Mapped[int] = mapped_column(ForeignKey("label_web.id", ondelete="CASCADE"), primary_key=True)
    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    content_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    key: Mapped[str] = mapped_column(Sha)
