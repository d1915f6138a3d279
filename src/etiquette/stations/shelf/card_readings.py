"""Test cards on the Shelf: a reading becomes a setting, and both are kept by machine and stock."""

from itertools import takewhile

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.calibrating.cards import Result, has_gaps, remedies_tried, result_of
from etiquette.core.calibrating.printed import OF_OWN_KNIFE
from etiquette.core.errors import JobError, NotThere
from etiquette.stations.shelf.card_cutting import named_card
from etiquette.stations.shelf.card_printing import printer_for_cards
from etiquette.stations.shelf.own_knife_cards import BY_LADDER
from etiquette.stations.shelf.schemas import CardEntered
from etiquette.stations.tools import card_row
from etiquette.store.models import CardReading, Cutter, Stock

SHOWN = 100
OF_THE_TOOL = ("force_gf", "offset_mm")
OF_A_PRINTER = ("nozzles", "two-way")
"""Cards that tell of a printer; the others tell of a cutter, or of the knife in a printer."""
OF_THE_CUTTER = (
    "sensor_across_mm", "sensor_along_mm", "feed_percent",
    "at_once_across_mm", "at_once_along_mm", "after_marks_across_mm", "after_marks_along_mm",
)  # fmt: skip


def enter(session: Session, entered: CardEntered) -> Result:
    """Take the readings of a card: the next job is made with what they set. `kind`: the line whose tool card is meant.
    Raises NotThere, JobError."""
    name, readings = named_card(entered.card), entered.readings
    stock = session.get(Stock, entered.stock_id)
    if stock is None:
        raise NotThere("That stock is not on the Shelf any more.", name, "Choose another one.")
    kept = CardReading(card=name, stock_id=stock.id, readings=dict(readings))
    if name in OF_A_PRINTER:
        kept.printer_id = printer_for_cards(session, entered).id
        missing = [*_gaps_in_a_row(session, kept.printer_id), readings.get("missing", 0.0)]
        result = result_of(name, readings, {"remedies_tried": remedies_tried(missing)} if name == "nozzles" else {})
    else:
        cutter = session.get(Cutter, entered.cutter_id or 0, with_for_update=True)
        if cutter is None:
            raise NotThere("That cutter is not on the Shelf any more.", name, "Choose another one.")
        if name in OF_OWN_KNIFE and cutter.printer_id is None:
            raise JobError(f"{cutter.name} is not in a printer.", cutter.name, "Choose the knife of a printer.")
        if cutter.printer_id is not None and name not in (*OF_OWN_KNIFE, *BY_LADDER):
            raise JobError(f"{cutter.name} is in a printer.", cutter.name, "Choose a cutter that stands by itself.")
        kept.cutter_id = cutter.id
        result = result_of(name, readings, {setting: getattr(cutter, setting) for setting in OF_THE_CUTTER})
        of_tool = set(OF_THE_TOOL) & set(result.changes)
        tool = card_row(session, cutter.id, stock, entered.kind) if of_tool else None
        for setting, value in result.changes.items():
            setattr(tool if setting in OF_THE_TOOL else cutter, setting, value)
    kept.words = result.words
    session.add(kept)
    return result


def _gaps_in_a_row(session: Session, printer_id: int) -> list[float]:
    """What was missing on the nozzle cards of a printer since the last one that was whole, the newest last."""
    of_nozzles = select(CardReading).where(CardReading.card == "nozzles", CardReading.printer_id == printer_id)
    newest_first = session.scalars(of_nozzles.order_by(CardReading.id.desc()).limit(SHOWN))
    return [float(one.readings["missing"]) for one in takewhile(lambda one: has_gaps(one.readings), newest_first)][::-1]


def history(session: Session) -> list[CardReading]:
    """Readings, newest first."""
    return list(session.scalars(select(CardReading).order_by(CardReading.id.desc()).limit(SHOWN)))
