"""Test cards of a printer's own knife: sent to the printer, and measured by hand."""

import re
import secrets
import time
from collections.abc import Sequence

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.calibrating.cards import CARDS, CardName
from etiquette.core.calibrating.patterns import Step, pattern_of
from etiquette.core.calibrating.printed import OF_OWN_KNIFE, rings
from etiquette.core.cutting.motion import plan_motion
from etiquette.core.cutting.profiles import PROFILES, ToolCard
from etiquette.core.cutting.writers import hpgl_part
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points
from etiquette.devices.contracts import Document, Printer, PrintJob
from etiquette.devices.reasons import in_words
from etiquette.stations.machines import PrinterHere
from etiquette.stations.shelf.schemas import CardCut, CardEntered, StepShown
from etiquette.stations.shop import LOOK_SECONDS, Shop
from etiquette.stations.tools import awaited, cards_of, knife_of, offset_of
from etiquette.store.models import Cutter
from etiquette.tasks.task import Outcome, Report

PROFILE = PROFILES["knife"]
BY_LADDER: tuple[CardName, ...] = ("force", "knife")


def cut_own(shop: Shop, name: CardName, entered: CardEntered, printer: PrinterHere, report: Report) -> Outcome[CardCut]:
    """Cut a card with the knife of a printer: a ladder on the bare stock that lies there, or the rings round what was
    printed before. Raises JobError."""
    cut = cut_of(shop, name, entered, printer)
    if name in BY_LADDER and not entered.bare:
        raise JobError(
            f"What {printer.name} printed last may lie under its knife.",
            printer.name,
            "Look, and say that it is bare.",
        )
    if tool := tool_awaited(shop, entered, printer):
        return Outcome(CardCut(state="tool", waits_for=tool))
    sent(shop, printer, printer.driver(), name, [cut], report)
    steps = pattern_of(name, entered.readings).steps if name in BY_LADDER else ()
    return Outcome(CardCut(state="cut", steps=[StepShown(x=step.x, y=step.y, words=step.words) for step in steps]))


def tool_awaited(shop: Shop, entered: CardEntered, printer: PrinterHere) -> str:
    """The tool that hands have to put into the knife of a printer first; empty when it is there."""

    def asked(session: Session) -> str:
        knife = _knife(session, printer)
        return awaited(session, knife, cards_of(session, knife.id, entered.stock_id)[entered.kind].tool, entered.ready)

    return shop.database.within(asked)


def cut_of(shop: Shop, name: CardName, entered: CardEntered, printer: PrinterHere) -> Document:
    """What the knife is told of a card. Raises JobError for a card that is none of a printer's."""
    if name not in (*BY_LADDER, *OF_OWN_KNIFE):
        raise JobError(
            f"“{CARDS[name].title}” is not for the knife of a printer.", CARDS[name].title, "Choose another card."
        )

    def asked(session: Session) -> tuple[dict[Kind, ToolCard], Points]:
        knife = _knife(session, printer)
        return dict(cards_of(session, knife.id, entered.stock_id)), offset_of(knife, at_once=name == "own knife")

    tools, offset = shop.database.within(asked)
    steps = [Step(tuple(rings()), 0.0, 0.0)] if name in OF_OWN_KNIFE else pattern_of(name, entered.readings).steps
    moved = offset if name in OF_OWN_KNIFE else np.zeros(2)  # a bare piece has no print to be beside
    parts: list[str] = []
    for step in steps:
        lines, cards = step.made_with(entered.kind, tools)
        parts += hpgl_part(plan_motion(lines, PROFILE, cards, lambda points: points + moved).strokes, PROFILE, cards)
    return Document("cut", ("IN;PA;" + "".join(parts) + "PU;SP0;\n").encode(), "application/vnd.hp-HPGL")


def _knife(session: Session, printer: PrinterHere) -> Cutter:
    knife = knife_of(session, printer.id)
    if knife is None:
        raise JobError(f"{printer.name} has no knife of its own.", printer.name, "Choose another printer.")
    return knife


def sent(
    shop: Shop, printer: PrinterHere, driver: Printer, name: CardName, documents: Sequence[Document], report: Report
) -> str:
    """Send a card to a printer and follow it to its end, for as long as the printer answers; what the job is called.
    Raises JobError."""
    job = f"CARD-{re.sub('[^a-z]+', '-', name)}-{secrets.token_hex(4)}"
    shop.still_mine()
    driver.send(PrintJob(job, CARDS[name].title, tuple(documents)))
    while True:
        progress = driver.progress(job)
        if progress.state in ("failed", "cancelled", "unknown"):
            why = progress.message or in_words(progress.reasons) or "it does not say why"
            raise JobError(f"{printer.name} stopped: {why}", printer.name, "Put that right and make the card again.")
        if progress.state == "done":
            return job
        share = progress.share or 0.0
        report(share, f"{'Printing' if documents[0].name != 'cut' else 'Cutting'} {share * 100:.0f} %")
        time.sleep(LOOK_SECONDS)
