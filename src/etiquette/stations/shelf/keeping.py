"""Shelf: stocks, rolls, cutters and mark sets, kept with a version so that two screens cannot undo each other."""

from typing import Any

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.core.marking.marks import PRESETS
from etiquette.stations.edits import Stale
from etiquette.stations.shelf.schemas import ShelfShown
from etiquette.stations.shelf.things import (
    CutterShown,
    CutterValues,
    InkColourShown,
    InkColourValues,
    LaminatorShown,
    LaminatorValues,
    MarkSetShown,
    MarkSetValues,
    PrinterShown,
    PrinterValues,
    PrintModeShown,
    PrintModeValues,
    RollShown,
    RollValues,
    StockShown,
    StockValues,
    ToolCardShown,
    ToolCardValues,
    Values,
)
from etiquette.store.models import (
    Cutter,
    Design,
    InkColour,
    Laminator,
    MarkSet,
    Printer,
    PrintMode,
    Roll,
    Stock,
    ToolCard,
)

KINDS: dict[str, tuple[type[Any], type[Values], type[BaseModel]]] = {
    "stock": (Stock, StockValues, StockShown),
    "roll": (Roll, RollValues, RollShown),
    "printer": (Printer, PrinterValues, PrinterShown),
    "laminator": (Laminator, LaminatorValues, LaminatorShown),
    "cutter": (Cutter, CutterValues, CutterShown),
    "tool_card": (ToolCard, ToolCardValues, ToolCardShown),
    "mark_set": (MarkSet, MarkSetValues, MarkSetShown),
    "print_mode": (PrintMode, PrintModeValues, PrintModeShown),
    "ink_colour": (InkColour, InkColourValues, InkColourShown),
}


def everything(session: Session) -> ShelfShown:
    """All rows by kind."""
    rows = {
        kind: [shown.model_validate(row) for row in session.scalars(select(model).order_by(model.id))]
        for kind, (model, _, shown) in KINDS.items()
    }
    return ShelfShown(**rows, mark_presets=list(PRESETS))  # type: ignore[arg-type]


def change(session: Session, kind: str, row_id: int, version: int, changes: dict[str, Any]) -> None:
    """Set values of one row. Raises NotThere, Stale, JobError."""
    if kind not in KINDS:
        raise NotThere("There is no such shelf.", kind, "Choose stocks, rolls, machines, mark sets or colours.")
    model, values, _ = KINDS[kind]
    row = session.get(model, row_id, with_for_update=True)
    if row is None:
        raise NotThere("It is not on the Shelf any more.", kind, "Reload the Shelf.")
    if row.version != version:
        raise Stale(kind.replace("_", " "), row_id, row.version)
    checked = values(**{**{name: getattr(row, name) for name in values.model_fields}, **changes})
    if isinstance(checked, RollValues) and checked.remaining_mm > row.length_mm:
        raise JobError(
            f"A roll of {row.length_mm / 1000:.1f} m cannot have more left.", row.name, "Type what is left on it."
        )
    if isinstance(checked, InkColourValues):
        _refuse_taken(session, checked.name, row.id)
    for name in changes:
        setattr(row, name, getattr(checked, name))


def add_colour(session: Session, values: InkColourValues) -> None:
    """A new colour of the library. Raises JobError when its name is taken."""
    _refuse_taken(session, values.name, None)
    session.add(InkColour(**values.model_dump()))


def add_mark_set(session: Session, preset: str) -> None:
    """A new mark set from a preset; a number is put behind its name when that is taken. Raises JobError."""
    if preset not in PRESETS:
        raise JobError(f"There is no preset “{preset}”.", "mark sets", "Choose one of the list.")
    taken, name, number = set(session.scalars(select(MarkSet.name))), preset, 2
    while name in taken:
        name, number = f"{preset} {number}", number + 1
    recipe = PRESETS[preset]
    values = {key: getattr(recipe, key) for key in MarkSetValues.model_fields if key != "name"}
    session.add(MarkSet(name=name, **values))


def remove_colour(session: Session, row_id: int) -> None:
    """Raises NotThere, and JobError while a design uses it."""
    row = session.get(InkColour, row_id, with_for_update=True)
    if row is None:
        raise NotThere("It is not on the Shelf any more.", "colours", "Reload the Shelf.")
    for design in session.scalars(select(Design)):
        if f"ink {row_id}" in design.document.spot_inks.values():
            raise JobError(
                f"{design.document.name} is printed with {row.name}.", row.name, "Choose another colour there first."
            )
    session.delete(row)


def _refuse_taken(session: Session, name: str, own: int | None) -> None:
    held = session.scalar(select(InkColour).where(InkColour.name == name))
    if held is not None and held.id != own:
        raise JobError(f"There is a colour called {name} already.", name, "Choose another name.")
