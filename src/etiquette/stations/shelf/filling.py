"""The Shelf is filled and cleared: things are added as is usual or like another one, and taken away when nothing uses
them any more."""

from collections.abc import Iterator
from decimal import Decimal
from typing import Any

from sqlalchemy import delete, func, inspect, select, update
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import KINDS as LINE_KINDS
from etiquette.core.errors import JobError, NotThere
from etiquette.core.marking.marks import PRESETS
from etiquette.files.shelf_file import MarkSetValues
from etiquette.stations.ledger import opened
from etiquette.stations.shelf.own_knives import keep_knife, refuse_knife
from etiquette.stations.shelf.schemas import AddAsked
from etiquette.stations.shelf.things import KINDS
from etiquette.stations.tools import fill_cards
from etiquette.store.models import (
    CardReading,
    Care,
    ColourProfile,
    Cutter,
    Design,
    InkColour,
    Job,
    Laminator,
    MarkSet,
    Printer,
    PrintMode,
    Roll,
    RollEntry,
    Run,
    Sheet,
    SpecialInk,
    Stock,
    ToolCard,
)

WORDS = {
    "stock": "Stock",
    "roll": "Roll",
    "printer": "Printer",
    "laminator": "Laminator",
    "cutter": "Cutter",
    "mark_set": "Mark set",
    "print_mode": "Mode",
    "ink_colour": "Shop colour",
    "special_ink": "Special ink",
    "colour_profile": "Profile",
    "finisher": "Finisher",
    "die": "Die",
    "holder": "Holder",
}
"""What a new thing is called until it has a name, with a number behind."""
USUAL: dict[str, dict[str, Any]] = {
    "stock": {"width_mm": 1000.0, "price_m2": Decimal("0"), "currency": "EUR", "tolerance_mm": 0.3},
    "roll": {"length_mm": 25_000.0, "remaining_mm": 25_000.0},
    "printer": {"print_width_mm": 1000.0},
    "laminator": {"film_width_mm": 1000.0},
    "cutter": {"reach_across_mm": 1000.0, "reach_along_mm": 1000.0, "speed_mm_s": 300.0},
    "print_mode": {
        "dpi": 600.0, "passes": 8, "two_way": True, "m2_per_hour": 10.0, "ink_ml_m2": 10.0, "drying_minutes": 0.0,
    },
    "ink_colour": {"cyan": 0.0, "magenta": 0.0, "yellow": 0.0, "black": 100.0},
    "special_ink": {"cyan": 0.0, "magenta": 0.0, "yellow": 0.0, "black": 30.0},
    "finisher": {"width_mm": [3.0, 6.0], "height_mm": [3.0, 6.0], "left_mm": [5.0, 20.0], "bottom_mm": [0.0, 0.0]},
    "die": {
        "label_width_mm": 60.0, "label_height_mm": 40.0, "corner_mm": 2.0, "columns": 1, "rows": 1,
        "gap_across_mm": 3.0, "gap_along_mm": 3.0,
    },
    "holder": {"width_mm": 500.0, "length_mm": 300.0},
}  # fmt: skip
"""Where a new thing begins: round values of our own, each to be set as the shop's is."""
MOST_NAMED = 3


def add(session: Session, kind: str, asked: AddAsked) -> int:
    """Put a thing on the Shelf; returns its number. Raises NotThere, JobError."""
    model = _model(kind)
    if kind == "colour_profile" and not asked.like:
        raise JobError("A profile comes as a file.", "profiles", "Take in an ICC file.")
    if kind not in WORDS:
        raise JobError("Tool cards come with a cutter and a stock.", "tool cards", "Add a stock or a cutter.")
    like = _row(session, kind, asked.like) if asked.like else None
    if isinstance(like, Cutter):
        refuse_knife(like, "Duplicate the printer.")
    values = _copied(like) if like is not None else _begun(kind, asked)
    values.update(_belongs_to(session, kind, asked))
    wanted = asked.name or (like.name if like is not None else asked.preset or "")
    if asked.name and _taken(session, model, asked.name):
        raise JobError(f"Something is called {asked.name} already.", asked.name, "Choose another name.")
    row = model(**{**values, "name": free_name(session, model, wanted or _place_word(session, kind, values))})
    session.add(row)
    session.flush()
    if isinstance(row, Roll):
        opened(session, row)
    if isinstance(row, Stock):
        _fill_stock(session, row, like)
    if isinstance(row, Printer):
        keep_knife(session, row)
    if isinstance(row, Cutter):
        for stock in session.scalars(select(Stock)):
            _copy_cards(session, like.id if like is not None else None, row.id, stock)
    return int(row.id)


def _begun(kind: str, asked: AddAsked) -> dict[str, Any]:
    if kind != "mark_set":
        return dict(USUAL[kind])
    preset = asked.preset or next(iter(PRESETS))
    if preset not in PRESETS:
        raise JobError(f"There is no preset “{preset}”.", "mark sets", "Choose one of the list.")
    return {key: getattr(PRESETS[preset], key) for key in MarkSetValues.model_fields if hasattr(PRESETS[preset], key)}


def _copied(row: Any) -> dict[str, Any]:
    """All that a duplicate has of its own from the beginning: not what makes a machine that machine."""
    own = {"id", "name", "version", "away", "machine", "address", "certificate", "simulated", "eye", "table_eye"}
    own |= {"code", "roll_id"}
    columns = [column.key for column in inspect(type(row)).column_attrs if column.key not in own]
    return {key: getattr(row, key) for key in columns}


def _belongs_to(session: Session, kind: str, asked: AddAsked) -> dict[str, Any]:
    """The rows that a roll or a mode hangs on: those named, else the first ones. Raises JobError without any."""
    wanted = {"roll": (Stock,), "print_mode": (Stock, Printer)}.get(kind, ())
    found: dict[str, Any] = {}
    for model in wanted:
        key = f"{model.__tablename__}_id"
        row_id = getattr(asked, key) or (None if asked.like else session.scalar(select(model.id).order_by(model.id)))
        if row_id is None and asked.like:
            continue
        if row_id is None or session.get(model, row_id) is None:
            raise JobError(
                f"There is no {model.__tablename__} yet.", WORDS[kind], f"Add a {model.__tablename__} first."
            )
        found[key] = row_id
    return found


def _place_word(session: Session, kind: str, values: dict[str, Any]) -> str:
    """What a new thing without a name is called: by what it hangs on, where it does."""
    stock = session.get(Stock, values["stock_id"]) if kind in ("roll", "print_mode") else None
    return f"{stock.name}, {WORDS[kind].lower()}" if stock else WORDS[kind]


def free_name(session: Session, model: type[Any], wanted: str) -> str:
    name, number = wanted[:110], 2
    while _taken(session, model, name):
        name, number = f"{wanted[:110]} {number}", number + 1
    return name


def _taken(session: Session, model: type[Any], name: str) -> bool:
    return session.scalar(select(model.id).where(model.name == name).limit(1)) is not None


def _fill_stock(session: Session, stock: Stock, like: Stock | None) -> None:
    """A new stock takes modes and tool cards from the one most like it: the same ground first, then the nearest
    width."""
    others = [one for one in session.scalars(select(Stock).where(Stock.id != stock.id)) if not one.away]
    like = like or min(
        others, key=lambda one: (one.ground != stock.ground, abs(one.width_mm - stock.width_mm)), default=None
    )
    if like is not None:
        for mode in session.scalars(select(PrintMode).where(PrintMode.stock_id == like.id)).all():
            word = mode.name.removeprefix(f"{like.name}, ")
            session.add(PrintMode(**{**_copied(mode), "stock_id": stock.id, "name": f"{stock.name}, {word}"[:60]}))
    for cutter in session.scalars(select(Cutter)).all():
        _copy_cards(session, cutter.id, cutter.id, stock, like)


def _copy_cards(session: Session, of: int | None, cutter_id: int, stock: Stock, like: Stock | None = None) -> None:
    """The tool cards of a cutter on a stock: those of cutter `of` on the same stock, or on one like it; else usual
    ones."""
    source = (like or stock).id
    held = session.scalars(select(ToolCard).where(ToolCard.cutter_id == of, ToolCard.stock_id == source)).all()
    for card in held if of else ():
        values = {
            **_copied(card),
            "cutter_id": cutter_id,
            "stock_id": stock.id,
            "name": f"{card.kind}, {stock.name}"[:120],
        }
        session.add(ToolCard(**values))
    session.flush()
    if not held or len(held) < len(LINE_KINDS):
        fill_cards(session, cutter_id, stock)


def remove(session: Session, kind: str, row_id: int) -> None:
    """Take a thing off the Shelf for good, with what hangs on it alone. Raises NotThere, and JobError while something
    else uses it: then it can be put away."""
    row = _row(session, kind, row_id)
    if isinstance(row, Cutter):
        refuse_knife(row, "Say of the printer that it has no knife.")
    knife = session.scalar(select(Cutter).where(Cutter.printer_id == row_id)) if isinstance(row, Printer) else None
    users = [*_users(session, row), *(_users(session, knife) if knife else ())]
    if users:
        more = f" and {len(users) - MOST_NAMED} more" if len(users) > MOST_NAMED else ""
        named = ", ".join(users[:MOST_NAMED]) + more
        do = "Put it away instead: then it is not offered any more."
        raise JobError(f"{row.name} is still used: {named}.", row.name, do)
    for roll in row.rolls if isinstance(row, Stock) else [row] if isinstance(row, Roll) else []:
        session.execute(delete(RollEntry).where(RollEntry.roll_id == roll.id))
        session.execute(update(Printer).where(Printer.roll_id == roll.id).values(roll_id=None))
    _with_what_hangs_on(session, kind, row_id)
    if knife:
        _with_what_hangs_on(session, "cutter", knife.id)
        session.delete(knife)
    session.flush()
    session.delete(row)


def _with_what_hangs_on(session: Session, kind: str, row_id: int) -> None:
    for model, key in HANGS_ON.get(kind, ()):
        for hanging in session.scalars(select(model).where(getattr(model, key) == row_id)).all():
            session.delete(hanging)
    session.execute(delete(Care).where(Care.machine_kind == kind, Care.machine_id == row_id))
    session.flush()


HANGS_ON: dict[str, tuple[tuple[type[Any], str], ...]] = {
    "stock": ((ToolCard, "stock_id"), (PrintMode, "stock_id"), (Roll, "stock_id")),
    "printer": ((PrintMode, "printer_id"),),
    "cutter": ((ToolCard, "cutter_id"),),
}
"""What goes with a thing, because it is nothing without it."""
IN_A_RUN = {
    Stock: "stock_id", Roll: "roll_id", Printer: "printer_id", Laminator: "laminator_id", Cutter: "cutter_id",
    MarkSet: "mark_set_id", PrintMode: "print_mode_id",
}  # fmt: skip


COUNTED: dict[type[Any], tuple[tuple[type[Any], str, str], ...]] = {
    Roll: ((Sheet, "roll_id", "sheets that are on it"),),
    Cutter: ((Sheet, "cutter_id", "sheets that lay on it"), (CardReading, "cutter_id", "test cards that were read")),
    Printer: ((CardReading, "printer_id", "test cards that were read"),),
    Stock: (
        (CardReading, "stock_id", "test cards that were read"),
        (Job, "stock_id", "jobs that are to be printed on it"),
    ),
}


def _users(session: Session, row: Any) -> Iterator[str]:
    """What uses a thing, in words."""
    key = IN_A_RUN.get(type(row), "")
    for run in session.scalars(select(Run).order_by(Run.id)) if key else ():
        also = run.document_json.get("more_rolls", []) if isinstance(row, Roll) else []
        if run.document_json.get(key) == row.id or row.id in also:
            yield f"the run {run.document_json.get('name')}"
    yield from _users_of_ink(session, row)
    if isinstance(row, ColourProfile):
        for mode in session.scalars(select(PrintMode).where(PrintMode.colour_profile_id == row.id)):
            yield f"the print mode {mode.name}"
    if isinstance(row, Stock | Roll):
        booked = select(func.count()).select_from(RollEntry).join(Roll, Roll.id == RollEntry.roll_id)
        booked = booked.where(~RollEntry.reference.startswith("roll "))  # not what only hands have noted
        count = session.scalar(booked.where(Roll.stock_id == row.id if isinstance(row, Stock) else Roll.id == row.id))
        if count:
            yield f"{count} entries of its ledger"
    for model, column, words in COUNTED.get(type(row), ()):
        count = session.scalar(select(func.count()).select_from(model).where(getattr(model, column) == row.id))
        if count:
            yield f"{count} {words}"


def _users_of_ink(session: Session, row: Any) -> Iterator[str]:
    """Designs that name an ink of the shop, and inks that a printer holds."""
    if isinstance(row, InkColour):
        for design in session.scalars(select(Design)):
            document = design.document
            if f"ink {row.id}" in (*document.spot_inks.values(), *(one.to for one in document.replaced)):
                yield f"the design {document.name}"
    if isinstance(row, SpecialInk):
        for design in session.scalars(select(Design)):
            if row.id in design.document.special_inks():
                yield f"the design {design.document.name}"
    if isinstance(row, Printer):
        for ink in session.scalars(select(SpecialInk).where(SpecialInk.printer_id == row.id)):
            yield f"the special ink {ink.name}"


def _model(kind: str) -> type[Any]:
    if kind not in KINDS:
        raise NotThere("There is no such shelf.", kind, "Choose stocks, rolls, machines, mark sets or colours.")
    return KINDS[kind].model


def _row(session: Session, kind: str, row_id: int) -> Any:
    row = session.get(_model(kind), row_id, with_for_update=True)
    if row is None:
        raise NotThere("It is not on the Shelf any more.", kind, "Reload the Shelf.")
    return row
