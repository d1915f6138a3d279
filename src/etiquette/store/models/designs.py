"""Jobs and designs: art, the lines found in it, the shop's rules."""

from datetime import date, datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Computed, ForeignKey, Index, String, Text
from sqlalchemy.dialects.mysql import MEDIUMBLOB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from etiquette.files.documents.designs import DesignDocument
from etiquette.files.documents.lines import LinesDocument
from etiquette.store.documents import Held
from etiquette.store.models.base import Base, Sha, now, who


class Blob(Base):
    """A file in the content-addressed store, known to be complete on disk."""

    __tablename__ = "blob"
    sha256: Mapped[str] = mapped_column(Sha, primary_key=True)
    size: Mapped[int]
    media_type: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[datetime] = mapped_column(default=now)
    unneeded_since: Mapped[datetime | None]
    """When it was seen first that no row needs it (stations/collecting.py); None: one does, or nobody has looked."""


class Job(Base):
    __tablename__ = "job"
    __table_args__ = (Index("ix_job_open", "closed_at", "due"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    customer: Mapped[str] = mapped_column(String(120))
    due: Mapped[date | None]
    notes: Mapped[str] = mapped_column(Text, default="", server_default="")
    stock_id: Mapped[int | None] = mapped_column(ForeignKey("stock.id"))
    """What it is to be printed on; None: it was not said."""
    laminator_id: Mapped[int | None] = mapped_column(ForeignKey("laminator.id"))
    without_film: Mapped[bool] = mapped_column(default=False, server_default="0")
    """The film it gets, by the laminator that lays it, or that it gets none; neither: it was not said."""
    spare_count: Mapped[int] = mapped_column(default=0, server_default="0")
    spare_percent: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """Pieces of each design that are made besides those that are due."""
    yes: Mapped[str] = mapped_column(String(8), default="", server_default="")
    """The customer's: nothing was asked; asked; given; changed since it was given (store/models/proofs.py)."""
    hand_steps: Mapped[list[dict[str, Any]] | None] = mapped_column(JSON(none_as_null=True))
    """Work by hand besides printing and cutting: name, minutes, and whether for each piece or for all of it."""
    recipe: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """The recipe that was used for it last: its name and version, and what it said then."""
    closed_at: Mapped[datetime | None]
    """When all that is due was handed over; None: it is open."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: it stands in no list, and is found by its name."""
    cleared_at: Mapped[datetime | None]
    """When its art and files went, because it was finished for long enough."""
    version: Mapped[int] = mapped_column(server_default="1")
    created_at: Mapped[datetime] = mapped_column(default=now)
    designs: Mapped[list["Design"]] = relationship(back_populates="job", order_by="Design.id")
    __mapper_args__ = {"version_id_col": version}


class KeptFile(Base):
    """A file that belongs to a job and is only kept, never opened: an order, a letter, a photograph of the place."""

    __tablename__ = "kept_file"
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(200))
    content_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    size: Mapped[int] = mapped_column(BigInteger)
    at: Mapped[datetime] = mapped_column(default=now)
    who: Mapped[str] = mapped_column(String(120), default=who)


class Customer(Base):
    """What was asked once of a customer and is remembered."""

    __tablename__ = "customer"
    name: Mapped[str] = mapped_column(String(120), primary_key=True)
    score_means: Mapped[str | None] = mapped_column(String(10))
    """What this customer's files mean by “score”: a score or a crease. None: nobody has asked."""
    contour_means: Mapped[str | None] = mapped_column(String(10))
    """What they mean by “contour cut” and the like: a kiss or a through cut."""


class Art(Base):
    """One picture or page as it was taken in; never changed. A design names the art it has now in its document, so
    that a newer file is an edit like any other."""

    __tablename__ = "art"
    id: Mapped[int] = mapped_column(primary_key=True)
    form: Mapped[str] = mapped_column(String(10))
    file_name: Mapped[str] = mapped_column(String(200))
    page: Mapped[int]
    content_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    picture_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    thumb_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    vectors_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    width_px: Mapped[int]
    height_px: Mapped[int]
    natural_width_mm: Mapped[float | None]
    natural_height_mm: Mapped[float | None]
    size_known: Mapped[bool] = mapped_column(default=True)
    """Whether the file says how large it is; else somebody types it, and `natural` tells its proportions."""
    cleared_at: Mapped[datetime | None]
    """When its files went with finished work; its thumbnail stays."""
    created_at: Mapped[datetime] = mapped_column(default=now)


class LineRules(Base):
    """The shop's line rules, in order."""

    __tablename__ = "line_rules"
    id: Mapped[int] = mapped_column(primary_key=True)
    rules: Mapped[dict[str, Any]]
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class Design(Base):
    """One artwork. `document` holds its settings and names its art; every change of it is an Edit."""

    __tablename__ = "design"
    __table_args__ = (Index("ix_design_job_ready", "job_id", "is_ready"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    document_json: Mapped[dict[str, Any]] = mapped_column("document")
    document = Held(DesignDocument, "document_json")
    name: Mapped[str | None] = mapped_column(
        String(120), Computed("left(json_value(document, '$.name'), 120)", persisted=True), index=True
    )
    due_count: Mapped[int | None] = mapped_column(Computed("json_value(document, '$.due_count')", persisted=True))
    is_ready: Mapped[bool | None] = mapped_column(Computed("json_value(document, '$.ready') = '1'", persisted=True))
    """Kept from the document by the database, so that lists of thousands read no documents."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: it stands in no list, and is found by its name."""
    revision: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(default=now)
    job: Mapped[Job] = relationship(back_populates="designs")


class LineResult(Base):
    """Finish lines already computed, by the picture and the settings they came from."""

    __tablename__ = "line_result"
    key: Mapped[str] = mapped_column(Sha, primary_key=True)
    lines_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    print_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    """The page without its finish lines, as PDF; None for pictures."""
    print_picture_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    under_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    """Bleed to be laid under vector art, a picture."""
    areas_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    """What vector art paints, in its own millimetres: for quick lines while a control moves."""
    white_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    clear_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    specials_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    """Areas of white and clear, and those of every special ink, in design millimetres (files.vectors); None where there
    are none."""
    outline: Mapped[bytes | None] = mapped_column(MEDIUMBLOB)
    """What the design takes on the stock, as WKB, flattened as the lines of a piece are; None in rows of former
    versions."""
    summary_json: Mapped[dict[str, Any]] = mapped_column("summary")
    summary = Held(LinesDocument, "summary_json")
    created_at: Mapped[datetime] = mapped_column(default=now)
    unneeded_since: Mapped[datetime | None]
    """When it was seen first that no design is as it was made for."""
