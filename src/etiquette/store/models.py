"""What is kept: SQLAlchemy models. Lengths are millimetres, times are UTC, money is decimal."""

from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

from sqlalchemy import JSON, DateTime, Double, ForeignKey, Index, MetaData, Numeric, String, Text, UniqueConstraint
from sqlalchemy.dialects.mysql import DATETIME, MEDIUMBLOB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship, validates

from etiquette.files.documents.designs import DesignDocument
from etiquette.files.documents.lines import LinesDocument
from etiquette.files.documents.plates import PlateSetDocument
from etiquette.files.documents.runs import RunDocument
from etiquette.files.documents.sheets import CutDocument, ProgressDocument, ReadingDocument
from etiquette.store.documents import Held, MayHold
from etiquette.store.states import RUN_STEPS, SHEET_STEPS, TASK_STEPS, RunState, SheetState, TaskState, kept_as, step

NAMES = {
    "ix": "ix_%(column_0_label)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}
Moment = DateTime().with_variant(DATETIME(fsp=6), "mysql", "mariadb")
Sha = String(64)


def now() -> datetime:
    """This moment in UTC without an offset, as the database keeps it."""
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    metadata = MetaData(naming_convention=NAMES)
    type_annotation_map = {dict[str, Any]: JSON, float: Double, datetime: Moment, Decimal: Numeric(12, 4)}


class Blob(Base):
    """A file in the content-addressed store, known to be complete on disk."""

    __tablename__ = "blob"
    sha256: Mapped[str] = mapped_column(Sha, primary_key=True)
    size: Mapped[int]
    media_type: Mapped[str] = mapped_column(String(80))
    created_at: Mapped[datetime] = mapped_column(default=now)


class Setting(Base):
    """One shop-wide setting: time zone, currency, units."""

    __tablename__ = "setting"
    name: Mapped[str] = mapped_column(String(60), primary_key=True)
    value: Mapped[str] = mapped_column(String(200))


class Stock(Base):
    __tablename__ = "stock"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    width_mm: Mapped[float]
    price_m2: Mapped[Decimal]
    currency: Mapped[str] = mapped_column(String(3))
    tolerance_mm: Mapped[float]
    ground: Mapped[str] = mapped_column(String(6), default="white", server_default="white")
    """What is seen where nothing is printed: white, clear or dark."""
    takes_film: Mapped[bool] = mapped_column(default=True, server_default="1")
    version: Mapped[int] = mapped_column(default=1)
    rolls: Mapped[list["Roll"]] = relationship(back_populates="stock", order_by="Roll.id")
    __mapper_args__ = {"version_id_col": version}


class Roll(Base):
    __tablename__ = "roll"
    id: Mapped[int] = mapped_column(primary_key=True)
    stock_id: Mapped[int] = mapped_column(ForeignKey("stock.id"))
    name: Mapped[str] = mapped_column(String(120), unique=True)
    length_mm: Mapped[float]
    remaining_mm: Mapped[float]
    version: Mapped[int] = mapped_column(default=1)
    stock: Mapped[Stock] = relationship(back_populates="rolls")
    __mapper_args__ = {"version_id_col": version}


class RollEntry(Base):
    """One line of a roll's ledger: what was taken off, when and why."""

    __tablename__ = "roll_entry"
    __table_args__ = (UniqueConstraint("reference"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    roll_id: Mapped[int] = mapped_column(ForeignKey("roll.id"))
    length_mm: Mapped[float]
    reason: Mapped[str] = mapped_column(String(200))
    reference: Mapped[str] = mapped_column(String(80))
    """Booked once only: the print that took it, so that a repeated report changes nothing."""
    at: Mapped[datetime] = mapped_column(default=now)


class Printer(Base):
    __tablename__ = "printer"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    print_width_mm: Mapped[float]
    dpi: Mapped[float] = mapped_column(default=150.0, server_default="150")
    machine: Mapped[str] = mapped_column(String(60), default="", server_default="")
    """What the machine at its address calls itself; empty: it has never been asked."""
    ink_price_ml: Mapped[Decimal] = mapped_column(default=Decimal("0.20"), server_default="0.2")
    severs: Mapped[bool] = mapped_column(default=False, server_default="0")
    has_knife: Mapped[bool] = mapped_column(default=False, server_default="0")
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class Laminator(Base):
    __tablename__ = "laminator"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    film_width_mm: Mapped[float]
    film_price_m2: Mapped[Decimal] = mapped_column(default=Decimal("1.50"), server_default="1.5")
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class Cutter(Base):
    __tablename__ = "cutter"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    reach_across_mm: Mapped[float]
    reach_along_mm: Mapped[float]
    edge_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """The middle of a mark stands no nearer to the edge of the stock."""
    speed_mm_s: Mapped[float]
    profile: Mapped[str] = mapped_column(String(40), default="knife", server_default="knife")
    sensor_across_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    sensor_along_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """How far beside the knife the camera really looks, found by a test card."""
    feed_percent: Mapped[float] = mapped_column(default=100.0, server_default="100")
    """How far the media really moves for what is told, found by a test card."""
    holder: Mapped[str] = mapped_column(String(60), default="", server_default="")
    """What is in its tool holder, as hands have said; empty: it is not known, and is asked."""
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class ToolCard(Base):
    """Settings of the tool for one kind of line on one stock (core.cutting.profiles.ToolCard)."""

    __tablename__ = "tool_card"
    __table_args__ = (UniqueConstraint("cutter_id", "stock_id", "kind"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    cutter_id: Mapped[int] = mapped_column(ForeignKey("cutter.id"))
    stock_id: Mapped[int] = mapped_column(ForeignKey("stock.id"))
    kind: Mapped[str] = mapped_column(String(12))
    name: Mapped[str] = mapped_column(String(120))
    tool: Mapped[str] = mapped_column(String(60), default="")
    force_gf: Mapped[float] = mapped_column(default=50.0)
    speed_mm_s: Mapped[float] = mapped_column(default=300.0)
    overcut_mm: Mapped[float] = mapped_column(default=0.5)
    offset_mm: Mapped[float] = mapped_column(default=0.0)
    passes: Mapped[int] = mapped_column(default=1)
    deep_mm: Mapped[float] = mapped_column(default=3.0)
    light_mm: Mapped[float] = mapped_column(default=1.0)
    light_force_gf: Mapped[float] = mapped_column(default=0.0)
    tie_mm: Mapped[float] = mapped_column(default=0.0)
    tie_every_mm: Mapped[float] = mapped_column(default=60.0)
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class CardReading(Base):
    """One test card that was read: what was read, and in words what it set."""

    __tablename__ = "card_reading"
    id: Mapped[int] = mapped_column(primary_key=True)
    card: Mapped[str] = mapped_column(String(20))
    cutter_id: Mapped[int] = mapped_column(ForeignKey("cutter.id"))
    stock_id: Mapped[int | None] = mapped_column(ForeignKey("stock.id"))
    readings: Mapped[dict[str, Any]]
    words: Mapped[str] = mapped_column(String(400))
    at: Mapped[datetime] = mapped_column(default=now)


class MarkSet(Base):
    __tablename__ = "mark_set"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    size_mm: Mapped[float]
    clear_mm: Mapped[float]
    spacing_mm: Mapped[float]
    head_margin_mm: Mapped[float]
    tail_margin_mm: Mapped[float]
    shape: Mapped[str] = mapped_column(String(12), default="disc", server_default="disc")
    stroke_mm: Mapped[float] = mapped_column(default=1.0, server_default="1")
    count: Mapped[str] = mapped_column(String(6), default="more", server_default="more")
    place: Mapped[str] = mapped_column(String(6), default="work", server_default="work")
    inset_mm: Mapped[float] = mapped_column(default=15.0, server_default="15")
    code: Mapped[str] = mapped_column(String(14), default="data matrix", server_default="data matrix")
    ink: Mapped[str] = mapped_column(String(8), default="black", server_default="black")
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class PrintMode(Base):
    """How a printer prints on a stock: one mode a run."""

    __tablename__ = "print_mode"
    __table_args__ = (UniqueConstraint("stock_id", "printer_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    stock_id: Mapped[int] = mapped_column(ForeignKey("stock.id"))
    printer_id: Mapped[int] = mapped_column(ForeignKey("printer.id"))
    name: Mapped[str] = mapped_column(String(60))
    dpi: Mapped[float]
    passes: Mapped[int]
    two_way: Mapped[bool]
    m2_per_hour: Mapped[float]
    ink_ml_m2: Mapped[float]
    """What one ink takes where it is full."""
    drying_minutes: Mapped[float]
    """From the print to the film."""
    profile: Mapped[str] = mapped_column(String(80), default="", server_default="")
    """Name of the colour profile the printer holds for it."""
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class Job(Base):
    __tablename__ = "job"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    customer: Mapped[str] = mapped_column(String(120))
    due: Mapped[date | None]
    created_at: Mapped[datetime] = mapped_column(default=now)
    designs: Mapped[list["Design"]] = relationship(back_populates="job", order_by="Design.id")


class Customer(Base):
    """What was asked once of a customer and is remembered."""

    __tablename__ = "customer"
    name: Mapped[str] = mapped_column(String(120), primary_key=True)
    score_means: Mapped[str | None] = mapped_column(String(10))
    """What this customer's files mean by “score”: a score or a crease. None: nobody has asked."""
    contour_means: Mapped[str | None] = mapped_column(String(10))
    """What they mean by “contour cut” and the like: a kiss or a through cut."""


class InkColour(Base):
    """A colour of the shop's library: named colours of customers' art are mapped to it. Percent of each process ink."""

    __tablename__ = "ink_colour"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    cyan: Mapped[float]
    magenta: Mapped[float]
    yellow: Mapped[float]
    black: Mapped[float]
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


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
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    document_json: Mapped[dict[str, Any]] = mapped_column("document")
    document = Held(DesignDocument, "document_json")
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
    """Areas of white and clear in design millimetres (files.vectors); None where there are none."""
    outline: Mapped[bytes | None] = mapped_column(MEDIUMBLOB)
    """What the design takes on the stock, as WKB, flattened as the lines of a piece are; None in rows of former versions."""
    summary_json: Mapped[dict[str, Any]] = mapped_column("summary")
    summary = Held(LinesDocument, "summary_json")
    created_at: Mapped[datetime] = mapped_column(default=now)


class Run(Base):
    """One planned stretch of print. `document` holds designs, counts, spacing and the layout; changes are Edits."""

    __tablename__ = "run"
    id: Mapped[int] = mapped_column(primary_key=True)
    document_json: Mapped[dict[str, Any]] = mapped_column("document")
    document = Held(RunDocument, "document_json")
    offer: Mapped[dict[str, Any] | None]
    """A better layout found in the background: what it would set in the document."""
    revision: Mapped[int] = mapped_column(default=1)
    state: Mapped[RunState] = mapped_column(kept_as(RunState, 20), default=RunState.PLANNED)
    created_at: Mapped[datetime] = mapped_column(default=now)

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
    white_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    clear_sha: Mapped[str | None] = mapped_column(ForeignKey("blob.sha256"))
    """PDFs of the white and clear plates, in register with the colour; None where a run has none."""
    lines_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    preview_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    summary_json: Mapped[dict[str, Any]] = mapped_column("summary")
    summary = Held(PlateSetDocument, "summary_json")
    created_at: Mapped[datetime] = mapped_column(default=now)


class Sheet(Base):
    """One physical print of a plate, from the printer to the cut."""

    __tablename__ = "sheet"
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
    progress_json: Mapped[dict[str, Any] | None] = mapped_column("progress")
    progress = MayHold(ProgressDocument, "progress_json")
    printed_at: Mapped[datetime | None]
    key: Mapped[str | None] = mapped_column(String(80), unique=True)
    """Given by who asked for it, so that what is sent twice is printed once."""
    film: Mapped[bool] = mapped_column(default=False, server_default="0")
    at: Mapped[datetime] = mapped_column(default=now)
    plate: Mapped[Plate] = relationship()

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


class Task(Base):
    """Long work: a registered name with arguments. Whoever holds a live lease may publish its result."""

    __tablename__ = "task"
    __table_args__ = (Index("ix_task_state", "state", "id"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(40))
    arguments: Mapped[dict[str, Any]]
    key: Mapped[str] = mapped_column(String(120), unique=True)
    state: Mapped[TaskState] = mapped_column(kept_as(TaskState, 12), default=TaskState.WAITING)
    attempt: Mapped[int] = mapped_column(default=0)
    lease_until: Mapped[datetime | None]
    heartbeat_at: Mapped[datetime | None]
    cancel: Mapped[bool] = mapped_column(default=False)
    result: Mapped[dict[str, Any] | None]
    problem: Mapped[dict[str, Any] | None]
    created_at: Mapped[datetime] = mapped_column(default=now)

    @validates("state")
    def _allowed(self, _: str, wanted: TaskState) -> TaskState:
        return step(TASK_STEPS, self.state, TaskState(wanted))


class Machine(Base):
    """The lock of a machine: whoever holds it may move knife, ink or media. Every holder gets a higher fence, and has to
    show it before each instruction."""

    __tablename__ = "machine"
    name: Mapped[str] = mapped_column(String(60), primary_key=True)
    fence: Mapped[int] = mapped_column(default=0)
    task_id: Mapped[int | None]
    """The task that holds it; None: nobody, or hands until `held_until`."""
    held_for: Mapped[str] = mapped_column(String(200), default="")
    """What it is held for, in words."""
    held_until: Mapped[datetime | None]
    holder: Mapped[str] = mapped_column(String(120), default="")
    """The process that holds it: host, number, and when it began."""


class TaskEvent(Base):
    """One numbered event of a task; a stream resumes after the last number seen."""

    __tablename__ = "task_event"
    id: Mapped[int] = mapped_column(primary_key=True)
    task_id: Mapped[int] = mapped_column(ForeignKey("task.id"), index=True)
    share: Mapped[float]
    words: Mapped[str] = mapped_column(Text)
    data: Mapped[dict[str, Any] | None]
    at: Mapped[datetime] = mapped_column(default=now)
