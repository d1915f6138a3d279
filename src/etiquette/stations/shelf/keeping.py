"""Shelf: stocks, rolls, cutters and mark sets, kept with a version so that two screens cannot undo each other."""

from datetime import UTC
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError, NotThere
from etiquette.core.marking.marks import PRESETS
from etiquette.core.printing.roll_labels import label_page
from etiquette.files.shelf_file import RollValues
from etiquette.people.guarded import may
from etiquette.people.rights import Right
from etiquette.stations.edits import Stale
from etiquette.stations.ledger import correct, ledger_of
from etiquette.stations.shelf.own_knives import keep_knife, refuse_knife
from etiquette.stations.shelf.schemas import RollEntryShown, ShelfShown
from etiquette.stations.shelf.things import KINDS
from etiquette.store.models import ColourProfile, Printer, Roll

OF_THE_BOOKS = {"price_m2", "ink_price_ml", "film_price_m2", "address", "eye", "table_eye"}


def everything(session: Session) -> ShelfShown:
    """All rows by kind; prices and addresses only for who may see the books."""
    rows = {
        kind: [one.shown.model_validate(row) for row in session.scalars(select(one.model).order_by(one.model.id))]
        for kind, one in KINDS.items()
    }
    if not may(Right.BOOKS):
        for row in (row for of_kind in rows.values() for row in of_kind):
            for name in OF_THE_BOOKS & type(row).model_fields.keys():
                setattr(row, name, type(getattr(row, name))())
    return ShelfShown(**rows, mark_presets=list(PRESETS))  # type: ignore[arg-type]


def change(session: Session, kind: str, row_id: int, version: int, changes: dict[str, Any], reason: str = "") -> None:
    """Set values of one row; `reason`: why a roll has another length now. Raises NotThere, Stale, JobError."""
    if kind not in KINDS:
        raise NotThere("There is no such shelf.", kind, "Choose stocks, rolls, machines, mark sets or colours.")
    model, values = KINDS[kind].model, KINDS[kind].values
    row = session.get(model, row_id, with_for_update=True)
    if row is None:
        raise NotThere("It is not on the Shelf any more.", kind, "Reload the Shelf.")
    if row.version != version:
        raise Stale(kind.replace("_", " "), row_id, row.version)
    checked = values(**{**{name: getattr(row, name) for name in values.model_fields}, **changes})
    if isinstance(checked, RollValues) and checked.remaining_mm > checked.length_mm:
        raise JobError(
            f"A roll of {checked.length_mm / 1000:.1f} m cannot have more left.", row.name, "Type what is left on it."
        )
    if changes.get("colour_profile_id") and session.get(ColourProfile, changes["colour_profile_id"]) is None:
        raise JobError("The profile is not on the Shelf any more.", row.name, "Choose another one.")
    if changes.get("printer_id") and session.get(Printer, changes["printer_id"]) is None:
        raise JobError("The printer is not on the Shelf any more.", row.name, "Choose another one.")
    if kind == "cutter" and {"name", "away"} & changes.keys():
        refuse_knife(row, "Rename its printer, or say of it that it has no knife.")
    if "name" in changes and kind != "tool_card":
        _refuse_taken(session, model, checked.name, row.id)
    if "address" in changes and hasattr(row, "machine"):
        row.machine = row.certificate = ""  # whoever answers there is asked anew
    if isinstance(row, Roll) and isinstance(checked, RollValues):
        correct(session, row, checked.remaining_mm, reason)
    for name in changes.keys() - ({"remaining_mm"} if isinstance(row, Roll) else set()):
        setattr(row, name, getattr(checked, name))
    if kind == "printer" and {"name", "away", "has_knife"} & changes.keys():
        keep_knife(session, session.get_one(Printer, row_id))


def ledger_shown(session: Session, roll_id: int) -> list[RollEntryShown]:
    """Every entry of a roll, newest first."""
    return [
        RollEntryShown(length_mm=one.length_mm, reason=one.reason, at=one.at.replace(tzinfo=UTC), who=one.who)
        for one in ledger_of(session, roll_id)
    ]


def label_of(session: Session, roll_id: int) -> bytes:
    """The label of a roll, a PDF. Raises NotThere."""
    roll = session.get(Roll, roll_id)
    if roll is None:
        raise NotThere("There is no such roll.", f"roll {roll_id}", "Open the Shelf again.")
    lines = [roll.stock.name, f"lot {roll.lot}" if roll.lot else "", roll.place]
    return label_page(roll.code, roll.name, [line for line in lines if line])


def _refuse_taken(session: Session, model: type[Any], name: str, own: int) -> None:
    held = session.scalar(select(model).where(model.name == name))
    if held is not None and held.id != own:
        raise JobError(f"Something is called {name} already.", name, "Choose another name.")
