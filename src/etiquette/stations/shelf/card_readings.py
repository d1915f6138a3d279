"""Test cards on the Shelf: a reading becomes a setting, and both are kept by cutter and stock."""

from itertools import takewhile
from typing import get_args

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.calibrating.cards import CardName, Result, has_gaps, remedies_tried, result_of
from etiquette.core.errors import JobError, NotThere
from etiquette.stations.tools import card_row
from etiquette.store.models import CardReading, Cutter, Stock

SHOWN = 100
OF_THE_TOOL = ("force_gf", "offset_mm")


def enter(session: Session, card: str, cutter_id: int, stock_id: int, kind: str, readings: dict[str, float]) -> Result:
    """Take the readings of a card: the next job is cut with what they set. `kind`: the line whose tool card is meant.
    Raises NotThere, JobError."""
    if card not in get_args(CardName):
        raise NotThere("There is no such test card.", card, "Choose one on the Shelf.")
    cutter, stock = session.get(Cutter, cutter_id, with_for_update=True), session.get(Stock, stock_id)
    if cutter is None or stock is None:
        raise NotThere("That cutter or stock is not on the Shelf any more.", card, "Choose another one.")
    if kind not in ("kiss", "through", "perforation", "score", "crease", "pen"):
        raise JobError(f"“{kind}” is not a kind of line.", card, "Choose the line whose tool was tried.")
    before = {name: getattr(cutter, name) for name in ("sensor_across_mm", "sensor_along_mm", "feed_percent")}
    if card == "nozzles":
        before["remedies_tried"] = remedies_tried([*_gaps_in_a_row(session, cutter_id), readings.get("missing", 0.0)])
    result = result_of(card, readings, before)  # type: ignore[arg-type]
    tool = card_row(session, cutter_id, stock, kind) if set(OF_THE_TOOL) & set(result.changes) else None  # type: ignore[arg-type]
    for name, value in result.changes.items():
        setattr(tool if name in OF_THE_TOOL else cutter, name, value)
    session.add(
        CardReading(card=card, cutter_id=cutter_id, stock_id=stock_id, readings=dict(readings), words=result.words)
    )
    return result


def _gaps_in_a_row(session: Session, cutter_id: int) -> list[float]:
    """What was missing on the nozzle cards since the last one that was whole, the newest last."""
    of_nozzles = select(CardReading).where(CardReading.card == "nozzles", CardReading.cutter_id == cutter_id)
    newest_first = session.scalars(of_nozzles.order_by(CardReading.id.desc()).limit(SHOWN))
    return [float(one.readings["missing"]) for one in takewhile(lambda one: has_gaps(one.readings), newest_first)][::-1]


def history(session: Session) -> list[CardReading]:
    """Readings, newest first."""
    return list(session.scalars(select(CardReading).order_by(CardReading.id.desc()).limit(SHOWN)))
