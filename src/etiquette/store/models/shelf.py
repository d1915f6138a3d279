"""The Shelf: stocks, rolls, machines, tools, marks, colours."""

import json
from datetime import datetime
from decimal import Decimal
from typing import Any

from sqlalchemy import JSON, ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from etiquette.store.models.base import Base, now, who

ALL_PLATES = ["colour", "white", "clear"]


def _roll_code() -> str:
    from etiquette.core.marking.codes import new_code  # brings a decoder along, which most processes never need

    return new_code()


class Stock(Base):
    __tablename__ = "stock"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    width_mm: Mapped[float]
    price_m2: Mapped[Decimal]
    currency: Mapped[str] = mapped_column(String(3))
    tolerance_mm: Mapped[float]
    thickness_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """0: not known."""
    grammage_g_m2: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """0: not known."""
    grain: Mapped[str] = mapped_column(String(6), default="", server_default="")
    """Which way its fibres lie: along the feed, across it, or empty."""
    ground: Mapped[str] = mapped_column(String(6), default="white", server_default="white")
    """What is seen where nothing is printed: white, clear or dark."""
    takes_film: Mapped[bool] = mapped_column(default=True, server_default="1")
    primer: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Ink holds on it only over primer."""
    names: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    """What printers call it, by the number of the printer."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
    version: Mapped[int] = mapped_column(default=1)
    rolls: Mapped[list["Roll"]] = relationship(back_populates="stock", order_by="Roll.id")
    __mapper_args__ = {"version_id_col": version}


class Roll(Base):
    __tablename__ = "roll"
    __table_args__ = (UniqueConstraint("code"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    code: Mapped[str] = mapped_column(String(6), default=_roll_code)
    """What its label shows."""
    stock_id: Mapped[int] = mapped_column(ForeignKey("stock.id"))
    name: Mapped[str] = mapped_column(String(120), unique=True)
    length_mm: Mapped[float]
    remaining_mm: Mapped[float]
    """The sum of its ledger."""
    lot: Mapped[str] = mapped_column(String(60), default="", server_default="")
    place: Mapped[str] = mapped_column(String(60), default="", server_default="")
    """Where in the shop it lies."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
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
    at: Mapped[datetime] = mapped_column(default=now, index=True)
    who: Mapped[str] = mapped_column(String(120), default=who)


class ShopPrice(Base):
    """What an hour costs the shop, minutes of setting up, the margin: core.costing.quotes.ShopPrices; one row."""

    __tablename__ = "shop_price"
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    hour_hands: Mapped[Decimal] = mapped_column(default=Decimal(0), server_default="0")
    hour_printer: Mapped[Decimal] = mapped_column(default=Decimal(0), server_default="0")
    hour_cutter: Mapped[Decimal] = mapped_column(default=Decimal(0), server_default="0")
    run_minutes: Mapped[float] = mapped_column(default=0.0, server_default="0")
    frame_minutes: Mapped[float] = mapped_column(default=0.0, server_default="0")
    margin_percent: Mapped[float] = mapped_column(default=0.0, server_default="0")
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class Printer(Base):
    __tablename__ = "printer"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    print_width_mm: Mapped[float]
    dpi: Mapped[float] = mapped_column(default=150.0, server_default="150")
    address: Mapped[str] = mapped_column(String(300), default="", server_default="")
    """How it is reached (devices/addresses.py); empty: not yet."""
    certificate: Mapped[str] = mapped_column(String(64), default="", server_default="")
    """SHA-256 of the certificate that an ipps printer showed first."""
    machine: Mapped[str] = mapped_column(String(60), default="", server_default="")
    """What the machine at its address calls itself; empty: it has never been asked."""
    simulated: Mapped[bool] = mapped_column(default=False, server_default="0")
    """It stands in the simulated room: hands are a card on the screen."""
    ink_price_ml: Mapped[Decimal] = mapped_column(default=Decimal("0.20"), server_default="0.2")
    severs: Mapped[bool] = mapped_column(default=False, server_default="0")
    sever_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """Left free behind every frame on a roll, so that it can be cut off."""
    roll_id: Mapped[int | None] = mapped_column(ForeignKey("roll.id"))
    """The roll whose label was scanned when it was put on it; None: nobody has."""
    has_knife: Mapped[bool] = mapped_column(default=False, server_default="0")
    plates: Mapped[list[str]] = mapped_column(
        JSON, default=lambda: list(ALL_PLATES), server_default=json.dumps(ALL_PLATES)
    )
    """Which plates it can lay down."""
    white_goes: Mapped[str] = mapped_column(String(6), default="either", server_default="either")
    """Where it can lay white: under the colour, over it, or either."""
    ink_bends: Mapped[bool] = mapped_column(default=True, server_default="1")
    """Its ink does not crack where the stock is folded."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class Laminator(Base):
    __tablename__ = "laminator"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    film_width_mm: Mapped[float]
    film_price_m2: Mapped[Decimal] = mapped_column(default=Decimal("1.50"), server_default="1.5")
    simulated: Mapped[bool] = mapped_column(default=False, server_default="0")
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class Cutter(Base):
    __tablename__ = "cutter"
    __table_args__ = (UniqueConstraint("printer_id"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    reach_across_mm: Mapped[float]
    reach_along_mm: Mapped[float]
    edge_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """The middle of a mark stands no nearer to the edge of the stock."""
    speed_mm_s: Mapped[float]
    address: Mapped[str] = mapped_column(String(300), default="", server_default="")
    confirm: Mapped[str] = mapped_column(String(4), default="oa", server_default="oa")
    """The question that it answers: oa, os, or none."""
    eye: Mapped[str] = mapped_column(String(300), default="", server_default="")
    """Address of the eye on its head; empty: it has none."""
    table_eye: Mapped[str] = mapped_column(String(300), default="", server_default="")
    """Address of the camera over its table; empty: there is none."""
    board: Mapped[dict[str, Any] | None]
    """How the mat under that camera is printed: markers, side_mm, step_mm, across, first_mm, and photo_mm, how much
    of the table one photo is good for."""
    simulated: Mapped[bool] = mapped_column(default=False, server_default="0")
    profile: Mapped[str] = mapped_column(String(40), default="knife", server_default="knife")
    mark_shapes: Mapped[list[str]] = mapped_column(JSON, default=list, server_default="[]")
    """The shapes of marks that it reads; none named: any."""
    sensor_across_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    sensor_along_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """How far beside the knife the camera really looks, found by a test card."""
    feed_percent: Mapped[float] = mapped_column(default=100.0, server_default="100")
    """How far the media really moves for what is told, found by a test card."""
    holder: Mapped[str] = mapped_column(String(60), default="", server_default="")
    """What is in its tool holder, as hands have said; empty: it is not known, and is asked."""
    rollers: Mapped[list[float]] = mapped_column(JSON, default=list, server_default="[]")
    """Where rollers press on the stock: their middles across it, in mm from where its edge is laid."""
    roller_mm: Mapped[float] = mapped_column(default=30.0, server_default="30")
    """How wide they are."""
    printer_id: Mapped[int | None] = mapped_column(ForeignKey("printer.id"))
    """The printer whose own knife this is; None: a machine by itself."""
    at_once_across_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    at_once_along_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    after_marks_across_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    after_marks_along_mm: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """How far a printer's own knife has to be led beside its print so that it cuts on it: straight after printing, and
    when the sheet was put back and its marks were read. Found by test cards."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
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
    passes_across: Mapped[int] = mapped_column(default=0, server_default="0")
    force_across_gf: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """Where a line runs across the grain; 0: as others."""
    deep_mm: Mapped[float] = mapped_column(default=3.0)
    light_mm: Mapped[float] = mapped_column(default=1.0)
    light_force_gf: Mapped[float] = mapped_column(default=0.0)
    tie_mm: Mapped[float] = mapped_column(default=0.0)
    tie_every_mm: Mapped[float] = mapped_column(default=60.0)
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class CardReading(Base):
    """One test card that was read: what was read, and in words what it set."""

    __tablename__ = "card_reading"
    id: Mapped[int] = mapped_column(primary_key=True)
    card: Mapped[str] = mapped_column(String(20))
    cutter_id: Mapped[int | None] = mapped_column(ForeignKey("cutter.id"))
    printer_id: Mapped[int | None] = mapped_column(ForeignKey("printer.id"))
    """The machine that it is about: a printer for what is only printed, else a cutter."""
    stock_id: Mapped[int | None] = mapped_column(ForeignKey("stock.id"))
    readings: Mapped[dict[str, Any]]
    words: Mapped[str] = mapped_column(String(400))
    at: Mapped[datetime] = mapped_column(default=now)
    who: Mapped[str] = mapped_column(String(120), default=who)


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
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
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
    tactile: Mapped[bool] = mapped_column(default=False, server_default="0")
    """For braille alone: what builds it up, which no run can choose."""
    drying_minutes: Mapped[float]
    """From the print to the film: what was in the ink is out."""
    touch_dry_minutes: Mapped[float] = mapped_column(default=0.0, server_default="0")
    """From the print until it may be rolled or stacked."""
    rest: Mapped[str] = mapped_column(String(5), default="", server_default="")
    """How it is left until then: loose, hung, or as it comes."""
    profile: Mapped[str] = mapped_column(String(80), default="", server_default="")
    """Name of the colour profile the printer holds for it."""
    colour_profile_id: Mapped[int | None] = mapped_column(ForeignKey("colour_profile.id"))
    """How the printer's inks look on the stock in this mode."""
    intent: Mapped[str] = mapped_column(String(10), default="relative", server_default="relative")
    """What becomes of colours that the inks cannot reach (core.printing.icc.Intent)."""
    black_point: Mapped[bool] = mapped_column(default=True, server_default="1")
    """Whether the art's black becomes the darkest of the inks."""
    converts: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Whether RGB becomes the inks of the profile in the print file, not at the printer."""
    keep_black: Mapped[bool] = mapped_column(default=True, server_default="1")
    """Whether pure black is then printed with black ink alone."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class ColourProfile(Base):
    """An ICC profile: the inks of a printer on a stock, as somebody measured them."""

    __tablename__ = "colour_profile"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    content_sha: Mapped[str] = mapped_column(ForeignKey("blob.sha256"))
    description: Mapped[str] = mapped_column(String(120))
    """What the profile calls itself."""
    space: Mapped[str] = mapped_column(String(4))
    """CMYK, RGB or GRAY."""
    white_l: Mapped[float]
    white_a: Mapped[float]
    white_b: Mapped[float]
    """L*a*b* of the bare stock."""
    ink_limit: Mapped[float | None]
    """The most ink on one place, percent of all inks together."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class InkColour(Base):
    """A colour of the shop's library: named colours of customers' art are mapped to it. Percent of each process ink."""

    __tablename__ = "ink_colour"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    cyan: Mapped[float]
    magenta: Mapped[float]
    yellow: Mapped[float]
    black: Mapped[float]
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
    version: Mapped[int] = mapped_column(default=1)
    __mapper_args__ = {"version_id_col": version}


class SpecialInk(Base):
    """An ink of the shop beside process inks, white and clear. Percents are what a screen shows for it."""

    __tablename__ = "special_ink"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    cyan: Mapped[float]
    magenta: Mapped[float]
    yellow: Mapped[float]
    black: Mapped[float]
    goes: Mapped[str] = mapped_column(String(6), default="behind", server_default="behind")
    """Where it belongs as the eye sees it (core.printing.stack.Goes)."""
    printer_id: Mapped[int | None] = mapped_column(ForeignKey("printer.id"))
    """The printer that holds it; None: any may."""
    away: Mapped[bool] = mapped_column(default=False, server_default="0")
    """Put away: kept for what used it, and not offered any more."""
    version: Mapped[int] = mapped_column(default=1, server_default="1")
    __mapper_args__ = {"version_id_col": version}
