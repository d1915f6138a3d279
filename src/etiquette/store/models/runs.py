"""Runs, their edits, frames and plate sets, and the sheets that were printed of them."""

from datetime import datetime
from typing import Any, Literal

from sqlalchemy import Computed, ForeignKey, Index, String, UniqueConstraint, inspect
from sqlalchemy.orm import Mapped, mapped_column, relationship, validates

from etiquette.files.documents.plates import PlateSetDocument
from etiquette.files.documents.runs import RunDocument
from etiquette.files.documents.sheets import CutDocument, PointedDocument, ProgressDocument, ReadingDocument, StripRead
from etiquette.store.documents import Held, MayHold
from etiquette.store.models.base import Base, Sha, now, who
from etiquette.store.states import RUN_STEPS, SHEET_STEPS, RunState, SheetState, kept_as, step

Setting = Literal["way", "stock_id", "roll_id", "printer_id", "laminator_id", "cutter_id", "print_mode_id"]


class Run(Base):
    """One planned stretch of print. `document` holds designs, counts, spacing and the layout; changes are Edits."""

    __tablename__ = "run"
    id: Mapped[int] = mapped_column(primary_key=True)
    document_json: Mapped[dict[str, Any]] = mapped_column("document")
    document = Held(RunDocument, "document_json")
    name: Mapped[str | None] = mapped_column(
        String(120), Computed("left(json_value(document, '$.name'), 120)", persisted=True), index=True
    )
    printer_id: Mapped[int | None] = mapped_column(Computed("json_value(document, '$.printer_id')", persisted=True))
    cutter_id: Mapped[int | None] = mapped_column(Computed("json_value(document, '$.cutter_id')", persisted=True))
    laminator_id: Mapped[int | None] = mapped_column(Computed("json_value(document, '$.laminator_id')", persisted=True))
    stock_id: Mapped[int | None] = mapped_column(Computed("json_value(document, '$.stock_id')", persisted=True))
    roll_id: Mapped[int | None] = mapped_column(Computed("json_value(document, '$.roll_id')", persisted=True))
    print_mode_id: Mapped[int | None] = mapped_column(
        Computed("json_value(document, '$.print_mode_id')", persisted=True)
    )
    way: Mapped[str | None] = mapped_column(String(8), Computed("json_value(document, '$.way')", persisted=True))
    """Kept from the document by the database, so that lists of thousands read no documents."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: it stands in no list, and is found by its name."""
    offer: Mapped[dict[str, Any] | None]
    """A better layout found in the background: what it would set in the document."""
    revision: Mapped[int] = mapped_column(default=1)
    state: Mapped[RunState] = mapped_column(kept_as(RunState, 20), default=RunState.PLANNED, index=True)
    created_at: Mapped[datetime] = mapped_column(default=now)

    def told(self, setting: Setting) -> Any:
        """One setting of the document as it is written, without taking a layout of hundreds of pieces apart; in a list
        that did not ask for documents, as the database keeps it."""
        if "document_json" in inspect(self).unloaded:
            return getattr(self, setting)
        return self.document_json.get(setting, RunDocument.model_fields[setting].default)

    @validates("state")
    def _allowed(self, _: str, wanted: RunState) -> RunState:
        return step(RUN_STEPS, self.state, RunState(wanted))


class Edit(Base):
    """One command and its inverse on a design or a run."""

    __tablename__ = "edit"
    __table_args__ = (Index("ix_edit_subject", "subject", "subject_id"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    subject: Mapped[str] = mapped_column(String(10))
    subject_id: Mapped[int]
    words: Mapped[str] = mapped_column(String(200))
    forward: Mapped[dict[str, Any]]
    backward: Mapped[dict[str, Any]]
    undone: Mapped[bool] = mapped_column(default=False)
    at: Mapped[datetime] = mapped_column(default=now)
    who: Mapped[str] = mapped_column(String(120), default=who)


class Frame(Base):
    """The part of a run governed by one set of marks. Its code is unique for the life of the shop."""

    __tablename__ = "frame"
    __table_args__ = (UniqueConstraint("run_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id"))
    number: Mapped[int]
    code: Mapped[str] = mapped_column(String(12), unique=True)
    prints: Mapped[int] = mapped_column(default=0, server_default="0")
    """How many prints of it were ever named: a name that was let go is not given again."""


class Plate(Base):
    """Print files of one state of a run: the PDF, the run-level lines, where marks and codes stand."""

    __tablename__ = "plate"
    __table_args__ = (UniqueConstraint("run_id", "key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id"))
    key: Mapped[str] = mapped_column(Sha)
    """Hash of all that the plate was made from: a plate is reused only for exactly that."""
    pdf_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    primer_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    white_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    clear_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    height_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    braille_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    """PDFs of the other plates, in register with the colour; None where a run has none."""
    more: Mapped[list["MorePlate"]] = relationship(
        order_by="MorePlate.id", cascade="all, delete-orphan", passive_deletes=True, lazy="selectin"
    )
    lines_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    preview_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    summary_json: Mapped[dict[str, Any]] = mapped_column("summary")
    summary = Held(PlateSetDocument, "summary_json")
    length_mm: Mapped[float | None] = mapped_column(
        Computed(
            "coalesce(json_value(summary, '$.plan.takes_mm'), json_value(summary, '$.plan.length_mm'))", persisted=True
        )
    )
    """Of the stock that it takes."""
    frame: Mapped[int | None] = mapped_column(Computed("json_value(summary, '$.frame')", persisted=True))
    """Kept from the summary by the database."""
    cleared_at: Mapped[datetime | None]
    """When its PDFs went with finished work; its lines and its preview stay."""
    created_at: Mapped[datetime] = mapped_column(default=now)
    unneeded_since: Mapped[datetime | None]
    """When it was seen first that its run is another by now, and nothing was printed of it."""


class MorePlate(Base):
    """A further plate of a frame, by its name: what is seen from the other side, a blocker, a special ink."""

    __tablename__ = "more_plate"
    __table_args__ = (UniqueConstraint("plate_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    plate_id: Mapped[int] = mapped_column(ForeignKey("plate.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(60))
    sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))


class Sheet(Base):
    """One physical print of a plate, from the printer to the cut."""

    __tablename__ = "sheet"
    __table_args__ = (Index("ix_sheet_state", "state", "good"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    plate_id: Mapped[int] = mapped_column(ForeignKey("plate.id"))
    name: Mapped[str] = mapped_column(String(60), unique=True)
    state: Mapped[SheetState] = mapped_column(kept_as(SheetState, 20))
    pieces: Mapped[int]
    good: Mapped[int | None]
    reading_json: Mapped[dict[str, Any] | None] = mapped_column("reading")
    reading = MayHold(ReadingDocument, "reading_json")
    report_json: Mapped[dict[str, Any] | None] = mapped_column("report")
    report = MayHold(CutDocument, "report_json")
    picture_sha: Mapped[str | None] = mapped_column(
        Sha, ForeignKey("blob.sha256"), Computed("json_value(report, '$.picture')", persisted=True)
    )
    """The picture of the cut sheet, kept from the report by the database: so it is known to be needed."""
    progress_json: Mapped[dict[str, Any] | None] = mapped_column("progress")
    progress = MayHold(ProgressDocument, "progress_json")
    pointed_json: Mapped[dict[str, Any] | None] = mapped_column("pointed")
    pointed = MayHold(PointedDocument, "pointed_json")
    strip_json: Mapped[dict[str, Any] | None] = mapped_column("strip")
    strip = MayHold(StripRead, "strip_json")
    printed_at: Mapped[datetime | None]
    key: Mapped[str | None] = mapped_column(String(80), unique=True)
    """Given by who asked for it, so that what is sent twice is printed once."""
    cutter_id: Mapped[int | None] = mapped_column(ForeignKey("cutter.id"))
    """The cutter it lies on, or lay on last."""
    film: Mapped[bool] = mapped_column(default=False, server_default="0")
    length: Mapped[str | None] = mapped_column(String(80), index=True)
    """Frames that the printer has not severed are one length: they dry, get film and travel together; None: it hangs
    with no other."""
    bed: Mapped[str | None] = mapped_column(String(80), index=True)
    """Blanks of one bed that are frames of their own are one print; None: it is one by itself."""
    roll_id: Mapped[int | None] = mapped_column(ForeignKey("roll.id"))
    """The roll it is on; None: the first of its run."""
    remake_at: Mapped[datetime | None]
    """From then on what is spoiled on it is made again at once if its job is late; None: nothing is, or it was."""
    remade_run_id: Mapped[int | None] = mapped_column(ForeignKey("run.id", ondelete="SET NULL"))
    """The run of that, which began by itself."""
    at: Mapped[datetime] = mapped_column(default=now)
    who: Mapped[str] = mapped_column(String(120), default=who)
    plate: Mapped[Plate] = relationship()
    together: Mapped[list["Sheet"]] = relationship(
        primaryjoin="foreign(Sheet.length) == remote(Sheet.length)", viewonly=True, uselist=True, lazy="selectin",
        order_by="Sheet.id",
    )  # fmt: skip
    """All of its length, itself too; empty where it hangs with no other."""
    on_bed: Mapped[list["Sheet"]] = relationship(
        primaryjoin="foreign(Sheet.bed) == remote(Sheet.bed)", viewonly=True, uselist=True, order_by="Sheet.id"
    )
    """All of its bed, itself too; empty where it is a print by itself."""

    @validates("state")
    def _allowed(self, _: str, wanted: SheetState) -> SheetState:
        return step(SHEET_STEPS, self.state, SheetState(wanted))


class BenchEntry(Base):
    """One line of the Bench's log: good, look or stop, in words an owner can read."""

    __tablename__ = "bench_entry"
    id: Mapped[int] = mapped_column(primary_key=True)
    sheet_id: Mapped[int | None] = mapped_column(ForeignKey("sheet.id"))
    state: Mapped[str] = mapped_column(String(6))
    words: Mapped[str] = mapped_column(String(400))
    at: Mapped[datetime] = mapped_column(default=now)
    who: Mapped[str] = mapped_column(String(120), default=who)
