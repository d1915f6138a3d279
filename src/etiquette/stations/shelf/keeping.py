"""Shelf: stocks, rolls, cutters and mark sets, kept with a version so that two screens cannot undo each other."""

from decimal import Decimal
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.core.marking.codes import CodeKind
from etiquette.core.marking.marks import CANNOT_SHOW, PRESETS, MarkInk, Shape
from etiquette.files.tool_cards import within
from etiquette.stations.edits import Stale
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


class _Values(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    name: str = Field(min_length=1, max_length=120)


class StockValues(_Values):
    width_mm: float = Field(ge=50, le=5500)
    price_m2: Decimal = Field(ge=0, le=100_000, decimal_places=4)
    tolerance_mm: float = Field(ge=0.05, le=5)
    ground: Literal["white", "clear", "dark"]
    takes_film: bool


class RollValues(_Values):
    remaining_mm: float = Field(ge=0, le=1e6)


class PrinterValues(_Values):
    print_width_mm: float = Field(ge=50, le=6000)
    dpi: float = Field(ge=72, le=2880)
    ink_price_ml: Decimal = Field(ge=0, le=1000, decimal_places=4)
    severs: bool
    has_knife: bool


class LaminatorValues(_Values):
    film_width_mm: float = Field(ge=50, le=6000)
    film_price_m2: Decimal = Field(ge=0, le=100_000, decimal_places=4)


class CutterValues(_Values):
    reach_across_mm: float = Field(ge=50, le=6000)
    reach_along_mm: float = Field(ge=50, le=50_000)
    edge_mm: float = Field(ge=0, le=200)
    holder: str = Field(max_length=60)
    profile: Literal["knife", "fine-knife", "arc-knife"]
    sensor_across_mm: float = Field(ge=-100, le=100)
    sensor_along_mm: float = Field(ge=-100, le=100)
    feed_percent: float = Field(ge=95, le=105)


class ToolCardValues(_Values):
    tool: str = Field(max_length=60)
    force_gf: Annotated[float, within("force_gf")]
    speed_mm_s: Annotated[float, within("speed_mm_s")]
    overcut_mm: Annotated[float, within("overcut_mm")]
    offset_mm: Annotated[float, within("offset_mm")]
    passes: Annotated[int, within("passes")]
    deep_mm: Annotated[float, within("deep_mm")]
    light_mm: Annotated[float, within("light_mm")]
    light_force_gf: Annotated[float, within("light_force_gf")]
    tie_mm: Annotated[float, within("tie_mm")]
    tie_every_mm: Annotated[float, within("tie_every_mm")]


class MarkSetValues(_Values):
    shape: Shape
    size_mm: float = Field(ge=2, le=25)
    stroke_mm: float = Field(ge=0.2, le=6)
    count: Literal["2", "3", "4", "more"]
    place: Literal["work", "stock"]
    inset_mm: float = Field(ge=3, le=500)
    code: CodeKind
    ink: MarkInk
    clear_mm: float = Field(ge=1, le=20)
    spacing_mm: float = Field(ge=50, le=2000)
    head_margin_mm: float = Field(ge=0, le=200)
    tail_margin_mm: float = Field(ge=0, le=200)


class PrintModeValues(_Values):
    dpi: float = Field(ge=72, le=2880)
    passes: int = Field(ge=1, le=64)
    two_way: bool
    m2_per_hour: float = Field(gt=0, le=2000)
    ink_ml_m2: float = Field(gt=0, le=200)
    drying_minutes: float = Field(ge=0, le=10_080)
    profile: str = Field(max_length=80)


class InkColourValues(_Values):
    name: str = Field(min_length=1, max_length=60, pattern=r"^[^/#()<>\[\]{}%]+$")
    cyan: float = Field(ge=0, le=100)
    magenta: float = Field(ge=0, le=100)
    yellow: float = Field(ge=0, le=100)
    black: float = Field(ge=0, le=100)


KINDS: dict[str, tuple[type[Any], type[_Values]]] = {
    "stock": (Stock, StockValues),
    "roll": (Roll, RollValues),
    "printer": (Printer, PrinterValues),
    "laminator": (Laminator, LaminatorValues),
    "cutter": (Cutter, CutterValues),
    "tool_card": (ToolCard, ToolCardValues),
    "mark_set": (MarkSet, MarkSetValues),
    "print_mode": (PrintMode, PrintModeValues),
    "ink_colour": (InkColour, InkColourValues),
}


def everything(session: Session) -> dict[str, list[dict[str, Any]]]:
    """All rows by kind: id, version and the values that can be edited."""
    shelf: dict[str, list[dict[str, Any]]] = {}
    for kind, (model, values) in KINDS.items():
        rows = session.scalars(select(model).order_by(model.id))
        shelf[kind] = [
            {
                "id": row.id,
                "version": row.version,
                **{name: getattr(row, name) for name in values.model_fields},
                **_more(row),
            }
            for row in rows
        ]
    return shelf


def _more(row: Any) -> dict[str, Any]:
    if isinstance(row, Roll):
        return {"stock_id": row.stock_id, "length_mm": row.length_mm}
    if isinstance(row, PrintMode):
        return {"stock_id": row.stock_id, "printer_id": row.printer_id}
    if isinstance(row, ToolCard):
        return {"stock_id": row.stock_id, "cutter_id": row.cutter_id, "kind": row.kind}
    if isinstance(row, Printer):
        return {"machine": row.machine}
    if isinstance(row, MarkSet):
        return {"cannot_show": CANNOT_SHOW[row.count]}  # type: ignore[index]
    return {"currency": row.currency} if isinstance(row, Stock) else {}


def change(session: Session, kind: str, row_id: int, version: int, changes: dict[str, Any]) -> None:
    """Set values of one row. Raises NotThere, Stale, JobError."""
    if kind not in KINDS:
        raise NotThere("There is no such shelf.", kind, "Choose stocks, rolls, machines, mark sets or colours.")
    model, values = KINDS[kind]
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
            raise JobError(f"{design.document.name} is printed with {row.name}.", row.name, "Choose another colour there first.")  # fmt: skip
    session.delete(row)


def _refuse_taken(session: Session, name: str, own: int | None) -> None:
    held = session.scalar(select(InkColour).where(InkColour.name == name))
    if held is not None and held.id != own:
        raise JobError(f"There is a colour called {name} already.", name, "Choose another name.")
