"""A printer's own knife: a cutter in the printer, with tool cards and offsets of its own."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.stations.tools import fill_cards
from etiquette.store.models import Cutter, Printer, Stock

LONGEST_CUT_MM = 10_000.0
"""Never asked for: what a printer cuts at once is as long as what it prints."""
SPEED_MM_S = 300.0
MOST_LETTERS = 120


def keep_knife(session: Session, printer: Printer) -> Cutter | None:
    """What the printer says of its knife is so on the Shelf: one that it has now has tool cards for every stock, one
    that it has no more is put away with what was found out about it. It is called like its printer. Raises JobError
    when something else is called so."""
    session.flush()
    knife = session.scalar(select(Cutter).where(Cutter.printer_id == printer.id))
    if knife is None and not printer.has_knife:
        return None
    name = f"Knife of {printer.name}"[:MOST_LETTERS]
    own = knife.id if knife else 0
    if session.scalar(select(Cutter.id).where(Cutter.name == name, Cutter.id != own)):
        raise JobError(f"Something is called {name} already.", name, "Give the printer, or that cutter, another name.")
    if knife is None:
        knife = Cutter(
            printer_id=printer.id,
            reach_across_mm=printer.print_width_mm,
            reach_along_mm=LONGEST_CUT_MM,
            speed_mm_s=SPEED_MM_S,
        )
        session.add(knife)
    knife.name, knife.away = name, not printer.has_knife or printer.away
    session.flush()
    for stock in session.scalars(select(Stock)):
        fill_cards(session, knife.id, stock)
    return knife


def refuse_knife(cutter: Cutter, do: str) -> None:
    """Raises JobError for a knife in a printer: it comes and goes with the printer."""
    if cutter.printer_id is not None:
        raise JobError(f"{cutter.name} is part of its printer.", cutter.name, do)
