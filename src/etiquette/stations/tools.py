"""The tools and the machine that a cut is made with: tool cards of a stock, the cutter's profile and its
corrections."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.aligning.windows import Window
from etiquette.core.artwork.kinds import KINDS, Kind
from etiquette.core.cutting.media import Rollers
from etiquette.core.cutting.motion import Stroke
from etiquette.core.cutting.profiles import DeviceProfile, ToolCard, profile_named
from etiquette.core.cutting.writers import hpgl_part
from etiquette.core.geometry.paths import Points
from etiquette.files.documents.runs import RunDocument
from etiquette.store import models

USUAL_OFFSET_MM = 0.3
"""Where a new card begins, a round value of our own: the offset card finds what the knife has."""
USUAL: dict[Kind, ToolCard] = {
    "pen": ToolCard(force_gf=20, tool="pen", overcut_mm=0),
    "crease": ToolCard(force_gf=250, speed_mm_s=150, tool="crease wheel", overcut_mm=0),
    "score": ToolCard(force_gf=100, tool="45° blade", overcut_mm=0, offset_mm=USUAL_OFFSET_MM),
    "kiss": ToolCard(tool="45° blade", offset_mm=USUAL_OFFSET_MM),
    "perforation": ToolCard(
        force_gf=150, speed_mm_s=150, tool="60° blade", offset_mm=USUAL_OFFSET_MM, overcut_mm=0, light_force_gf=50
    ),
    "through": ToolCard(force_gf=150, speed_mm_s=150, tool="60° blade", offset_mm=USUAL_OFFSET_MM),
}
"""What is taken until a card is on the Shelf: rather too light than too heavy, because a line that is cut once more is
saved and a liner that is cut is not. The test card of the stock finds what is right."""
CARD_FIELDS = tuple(name for name in ToolCard.__dataclass_fields__ if name != "grain")
"""What a row of the Shelf says; the grain is the stock's."""


@dataclass(frozen=True)
class CutterSetting:
    """A cutter as its test cards found it. `sensor_mm`: how far beside the knife the camera really looks, across and
    along; `feed`: how far the media moves for a told millimetre."""

    name: str
    profile: DeviceProfile
    sensor_mm: tuple[float, float] = (0.0, 0.0)
    feed: float = 1.0
    holder: str = ""
    """What is in its tool holder; empty: it is not known."""
    rollers: Rollers | None = None

    def wants(self, tool: str) -> bool:
        """Whether hands have to put `tool` in first. A machine with several holders changes by itself."""
        return self.profile.tools == 1 and bool(tool) and self.holder != tool

    def told(self, points: Points) -> Points:
        """What the machine has to be told so that it goes to `points` (n, 2)."""
        return points / (1.0, self.feed)

    def corrected(self, head: Callable[[float, float], Window], x: float, y: float) -> Window:
        """What lies at (x, y): the head is sent so that it really looks there."""
        window = head(x - self.sensor_mm[0], (y - self.sensor_mm[1]) / self.feed)
        return Window(window.pixels, x, y, window.mm_per_px)


def setting_of(cutter: models.Cutter) -> CutterSetting:
    """A cutter as its row and its cards have it."""
    sensor = (cutter.sensor_across_mm, cutter.sensor_along_mm)
    rollers = Rollers(tuple(cutter.rollers), cutter.roller_mm) if cutter.rollers else None
    feed = cutter.feed_percent / 100
    return CutterSetting(cutter.name, profile_named(cutter.profile), sensor, feed, cutter.holder, rollers)


def put_in(session: Session, cutter_id: int, tool: str) -> None:
    """Hands have put `tool` into the holder of a cutter."""
    session.get_one(models.Cutter, cutter_id, with_for_update=True).holder = tool[:60]


def awaited(session: Session, cutter: models.Cutter, tool: str, ready: str | None) -> str:
    """The tool that hands have to put in first; empty when `tool` is in the holder, also since they have just said so
    (`ready`)."""
    if not setting_of(cutter).wants(tool):
        return ""
    if ready != tool:
        return tool
    put_in(session, cutter.id, tool)
    return ""


def cutter_of(session: Session, run: RunDocument) -> models.Cutter:
    """The cutter that a run is meant for."""
    return session.get_one(models.Cutter, run.cutter_id)


def cards_of(session: Session, cutter_id: int, stock_id: int) -> dict[Kind, ToolCard]:
    """A card for every kind: the Shelf's, else what is usual; each knows the grain of the stock."""
    cards = dict(USUAL)
    held = select(models.ToolCard).where(models.ToolCard.cutter_id == cutter_id, models.ToolCard.stock_id == stock_id)
    for row in session.scalars(held):
        cards[row.kind] = ToolCard(**{name: getattr(row, name) for name in CARD_FIELDS})  # type: ignore[index]
    stock = session.get(models.Stock, stock_id)
    grain: Any = stock.grain if stock else ""
    return {kind: replace(card, grain=grain) for kind, card in cards.items()}


def cards_for(session: Session, cutter_id: int, run: RunDocument) -> dict[Kind, ToolCard]:
    """The cards of the stock of a run, with what is another for this run alone. Raises JobError for what no card may
    say."""
    cards = cards_of(session, cutter_id, run.stock_id)
    for kind, told in run.tools.items():
        cards[kind] = replace(cards[kind], **told.model_dump(exclude_none=True))
    return cards


def knife_of(session: Session, printer_id: int | None) -> models.Cutter | None:
    """The knife in a printer, when it has one."""
    return session.scalar(select(models.Cutter).where(models.Cutter.printer_id == printer_id, ~models.Cutter.away))


def offset_of(knife: models.Cutter, at_once: bool) -> Points:
    """How far a printer's own knife is led beside its print, (2,) mm: `at_once` after printing, else after it read the
    marks of a sheet that was put back."""
    if at_once:
        return np.array([knife.at_once_across_mm, knife.at_once_along_mm])
    return np.array([knife.after_marks_across_mm, knife.after_marks_along_mm])


def usual_card(session: Session, cutter_id: int, kind: Kind) -> ToolCard:
    """Where a card of a cutter begins. A printer's own knife begins without an offset: many a printer knows its own,
    and the test card finds what is left."""
    in_printer = session.get_one(models.Cutter, cutter_id).printer_id is not None
    return replace(USUAL[kind], offset_mm=0.0) if in_printer else USUAL[kind]


def card_row(session: Session, cutter_id: int, stock: models.Stock, kind: Kind) -> models.ToolCard:
    """The Shelf's card for a kind on a stock; made from what is usual when there is none."""
    row = session.scalar(
        select(models.ToolCard).where(
            models.ToolCard.cutter_id == cutter_id, models.ToolCard.stock_id == stock.id, models.ToolCard.kind == kind
        )
    )
    if row is None:
        usual = usual_card(session, cutter_id, kind)
        values = {name: getattr(usual, name) for name in CARD_FIELDS}
        row = models.ToolCard(cutter_id=cutter_id, stock_id=stock.id, kind=kind, name=f"{kind}, {stock.name}", **values)
        session.add(row)
        session.flush()
    return row


def fill_cards(session: Session, cutter_id: int, stock: models.Stock) -> None:
    """A card on the Shelf for every kind on a stock."""
    for kind in KINDS:
        card_row(session, cutter_id, stock, kind)


def told_parts(strokes: Sequence[Stroke], setting: CutterSetting, cards: dict[Any, Any]) -> list[str]:
    """HP-GL of `strokes` as this machine has to be told them, a text a stroke."""
    told = [replace(stroke, points=setting.told(stroke.points)) for stroke in strokes]
    return hpgl_part(told, setting.profile, cards)


def as_told(strokes: Sequence[Stroke], setting: CutterSetting, cards: dict[Any, Any]) -> str:
    """The same as a whole."""
    return "IN;PA;" + "".join(told_parts(strokes, setting, cards)) + "PU;SP0;\n"
