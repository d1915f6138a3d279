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
    rules: Mapped[dict[str, Any]]


class KeptDie(Base):
    """A die, read from its drawing: its figures under the name of the file."""

    __tablename__ = "die"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    figures: Mapped[dict[str, Any]]


class WebPart(Base):
    """A file of the pair that was made last; `key` names all that it was made from."""

    __tablename__ = "web_part"
    web_id: Mapped[int] = mapped_column(ForeignKey("label_web.id", ondelete="CASCADE"), primary_key=True)
    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    content_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    key: Mapped[str] = mapped_column(Sha)
