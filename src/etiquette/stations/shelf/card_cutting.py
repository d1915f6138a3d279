"""Test cards on the cutter: cut on a bare piece of stock, looked at, and read by its cameras where they can."""

from collections.abc import Callable, Mapping
from typing import Any, get_args

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.aligning.windows import Window
from etiquette.core.artwork.kinds import Kind
from etiquette.core.calibrating.cards import CARDS, CardName
from etiquette.core.calibrating.looking import READERS, read_print_to_cut, ring_round
from etiquette.core.calibrating.patterns import Step, pattern_of
from etiquette.core.cutting.instructions import Pacer
from etiquette.core.cutting.motion import plan_motion
from etiquette.core.cutting.profiles import ToolCard
from etiquette.core.errors import JobError, NotThere
from etiquette.core.marking.marks import MarkRecipe
from etiquette.devices import contracts
from etiquette.stations.machines import CutterHere, cutter_here, printer_of_knife
from etiquette.stations.shelf import own_knife_cards
from etiquette.stations.shelf.schemas import CardCut, CardEntered, CardRead, StepShown
from etiquette.stations.shop import Shop
from etiquette.stations.tools import CutterSetting, as_told, awaited, cards_of
from etiquette.store.models import Cutter, Sheet
from etiquette.tasks.task import Outcome, Report

ON_THE_MAT: tuple[CardName, ...] = ("feed",)
"""Cards whose lines are measured on the table itself, not where the head believes to be."""
EDGE_MM = 5.0
"""So much is shown round a card."""


def cut_card(shop: Shop, entered: CardEntered, report: Report) -> Outcome[CardCut]:
    """Task: cut the card `card` on a bare piece of stock, with the tool of `kind` for `stock_id` as `cutter_id` is set
    now; `readings` say where its ladder begins. The result tells the steps and where they lie."""
    name = named_card(entered.card)
    if printer := shop.database.within(lambda session: printer_of_knife(session, entered.cutter_id)):
        return own_knife_cards.cut_own(shop, name, entered, printer, report)
    if name == "print-to-cut":
        return _cut_rings(shop, entered, report)
    pattern = pattern_of(name, entered.readings)
    cutter, tools = shop.database.within(lambda session: _with_what(session, entered))
    setting = cutter.setting
    if tool := _awaited(shop, cutter, tools[entered.kind].tool, entered):
        return Outcome(CardCut(state="tool", waits_for=tool))
    # all of it before the machine is asked for anything: a step out of bounds cuts none
    parts = [_told(step, setting, tools, entered.kind) for step in pattern.steps]
    with cutter.line(shop) as line:
        line.refuse_other_scale()
        for number, step in enumerate(pattern.steps):
            words = f"Step {number + 1} of {len(pattern.steps)}{f', {step.words}' if step.words else ''}"
            if not report(number / len(pattern.steps), words):
                return Outcome(CardCut(state="held"))
            _plot(line, cutter, parts[number])
    box = (-EDGE_MM, -EDGE_MM, pattern.width_mm + EDGE_MM, pattern.length_mm + EDGE_MM)
    steps = [StepShown(x=step.x, y=step.y, words=step.words) for step in pattern.steps]
    return Outcome(CardCut(state="cut", steps=steps, box=box, can_read=name in READERS))


def _plot(line: contracts.Cutter, cutter: CutterHere, hpgl: str) -> None:
    profile = cutter.setting.profile
    line.run(Pacer(profile.unit_mm, profile.travel_mm_s).split(hpgl), lambda *_: True)


def _told(step: Step, setting: CutterSetting, tools: Mapping[Kind, ToolCard], kind: Kind) -> str:
    lines, cards = step.made_with(kind, tools)
    return as_told(plan_motion(lines, setting.profile, cards).strokes, setting, cards)


def read_card(shop: Shop, entered: CardEntered, report: Report) -> Outcome[CardRead]:
    """Task: read the card that was cut last with the cutter's cameras. The result has its `readings`."""
    name = named_card(entered.card)
    if name == "print-to-cut":
        return _read_rings(shop, entered, report)
    if name not in READERS or shop.database.within(lambda session: printer_of_knife(session, entered.cutter_id)):
        raise JobError(f"“{CARDS[name].title}” is felt or measured by hand.", CARDS[name].title, "Enter what you read.")
    pattern = pattern_of(name, entered.readings)
    cutter, _ = shop.database.within(lambda session: _with_what(session, entered))
    report(0.1, "Looking at the card")
    with cutter.line(shop) as line:
        readings = READERS[name](_look(line, cutter, name), pattern)
    return Outcome(CardRead(readings={**entered.readings, **readings}))


def _read_sheet_there(session: Session, cutter: CutterHere) -> tuple[list[tuple[float, float]], MarkRecipe, str]:
    """The places of the marks that were read of the sheet on the cutter, how they look, and its name. Raises
    JobError."""
    sheet = session.scalar(select(Sheet).where(Sheet.state == "read", Sheet.cutter_id == cutter.id))
    marks = [one.measured for one in sheet.reading.marks if one.measured] if sheet and sheet.reading else []
    if sheet is None or not marks:
        raise JobError(
            "No sheet whose marks are read lies on the cutter.",
            CARDS["print-to-cut"].title,
            "Load a printed sheet at the Bench and read its marks.",
        )
    return marks, sheet.plate.summary.marks, sheet.name


def _cut_rings(shop: Shop, entered: CardEntered, report: Report) -> Outcome[CardCut]:
    """A ring round every mark of the sheet on the cutter: print and cut side by side, in what is kept clear anyway."""
    cutter, tools = shop.database.within(lambda session: _with_what(session, entered))
    marks, recipe, name = shop.database.within(lambda session: _read_sheet_there(session, cutter))
    report(0.2, f"Cutting rings round the marks of {name}")
    if tool := _awaited(shop, cutter, tools[entered.kind].tool, entered):
        return Outcome(CardCut(state="tool", waits_for=tool))
    step = Step(tuple(ring_round(mark, recipe) for mark in marks), 0, 0)
    with cutter.line(shop) as line:
        line.refuse_other_scale()
        _plot(line, cutter, _told(step, cutter.setting, tools, entered.kind))
    return Outcome(CardCut(state="cut", can_read=True))


def _read_rings(shop: Shop, entered: CardEntered, report: Report) -> Outcome[CardRead]:
    cutter, _ = shop.database.within(lambda session: _with_what(session, entered))
    report(0.1, "Looking at the rings")
    marks, recipe, _ = shop.database.within(lambda session: _read_sheet_there(session, cutter))
    with cutter.line(shop) as line:
        readings = read_print_to_cut(_look(line, cutter, "print-to-cut"), marks, recipe)
    return Outcome(CardRead(readings=readings))


def _look(line: contracts.Cutter, cutter: CutterHere, name: CardName) -> Callable[[float, float], Window]:
    if name in ON_THE_MAT:
        return cutter.camera()
    head = cutter.head(line)
    return lambda x, y: cutter.setting.corrected(head, x, y)


def _awaited(shop: Shop, cutter: CutterHere, tool: str, entered: CardEntered) -> str:
    return shop.database.within(
        lambda session: awaited(session, session.get_one(Cutter, cutter.id), tool, entered.ready)
    )


def named_card(card: str) -> CardName:
    """The card of this name. Raises NotThere."""
    if card not in get_args(CardName):
        raise NotThere("There is no such test card.", card, "Choose one on the Shelf.")
    return card  # type: ignore[return-value]


def _with_what(session: Session, entered: CardEntered) -> tuple[CutterHere, dict[Any, Any]]:
    cutter = session.get(Cutter, entered.cutter_id or 0)
    if cutter is None:
        raise NotThere("That cutter is not on the Shelf any more.", entered.card, "Choose another one.")
    return cutter_here(cutter), dict(cards_of(session, cutter.id, entered.stock_id))
