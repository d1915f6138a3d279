"""Floor: what is waiting, what is next, what is stuck."""

import threading
from dataclasses import dataclass
from datetime import date

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.stations.lines import DesignDocument
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Plate, Roll, Run, Sheet

LAMP_SECONDS = 2.0
BETWEEN_LAMPS_SECONDS = 3.0
_RUN_COLUMN = {"planned": "ready", "printing": "printing", "film": "film", "cutter": "cutter", "cut": "done"}


@dataclass(frozen=True)
class Card:
    """A design or a run on the Floor."""

    column: str
    kind: str
    id: int
    name: str
    words: str
    due: date | None
    thumb: str


@dataclass(frozen=True)
class FloorState:
    cards: list[Card]
    rolls: list[tuple[str, float, float]]
    good: int
    pieces: int


def state_of(session: Session) -> FloorState:
    cards, placed = [], set()
    for run in session.scalars(select(Run).order_by(Run.id)):
        items = run.document["items"]
        placed.update(item["design_id"] for item in items)
        sheets = session.scalars(select(Sheet).join(Plate).where(Plate.run_id == run.id).order_by(Sheet.id)).all()
        # the sheet that was last at work says where the run is; a run may have been printed before and planned anew
        column = _RUN_COLUMN[run.state]
        due = min(
            (
                d.job.due
                for d in session.scalars(select(Design).where(Design.id.in_([i["design_id"] for i in items])))
                if d.job.due
            ),
            default=None,
        )
        thumb = (
            f"/api/runs/{run.id}/thumb"
            if run.document.get("layout")
            else (f"/api/designs/{items[0]['design_id']}/thumb" if items else "")
        )
        words = f"{sum(item['count'] for item in items)} pieces" + (f" · sheet {sheets[-1].name}" if sheets else "")
        cards.append(Card(column, "run", run.id, run.document["name"], words, due, thumb))
    for design in session.scalars(select(Design).order_by(Design.id)):
        document = DesignDocument(**design.document)
        if design.id in placed:
            continue
        words = f"{design.job.customer} · {document.due_count}" if document.width_mm else "size not known"
        cards.append(
            Card(
                "ready" if document.ready else "lines",
                "design",
                design.id,
                document.name,
                words,
                design.job.due,
                f"/api/designs/{design.id}/thumb",
            )
        )
    rolls = [(roll.name, roll.remaining_mm, roll.length_mm) for roll in session.scalars(select(Roll).order_by(Roll.id))]
    cut = session.scalars(select(Sheet).where(Sheet.state == "cut")).all()
    return FloorState(cards, rolls, sum(sheet.good or 0 for sheet in cut), sum(sheet.pieces for sheet in cut))


def lamps(shop: Shop) -> list[tuple[str, str, bool]]:
    """Name, kind and whether it answers, of every machine but the laminator, which has nothing to say. Each is asked; that
    may take seconds, so pages are shown what a LampWatcher saw last."""
    found = []
    for device in shop.devices.values():
        if device.kind == "laminator":
            continue
        try:
            with shop.line(device.kind, answer_seconds=LAMP_SECONDS) as line:
                line.ask("state")
            found.append((device.name, device.kind, True))
        except Exception:
            # a lamp is dark for any reason; the sentence comes when the machine is used
            found.append((device.name, device.kind, False))
    return found


class LampWatcher:
    """Asks the machines again and again beside the pages, and keeps what was seen last."""

    def __init__(self, shop: Shop) -> None:
        self._shop = shop
        self._seen: list[tuple[str, str, bool]] | None = None
        self._ended = threading.Event()

    def start(self) -> None:
        threading.Thread(target=self._watch, daemon=True).start()

    def stop(self) -> None:
        self._ended.set()

    def seen(self) -> list[tuple[str, str, bool]]:
        """What was seen last; before the first look every lamp is dark."""
        dark = [(one.name, one.kind, False) for one in self._shop.devices.values() if one.kind != "laminator"]
        return dark if self._seen is None else self._seen

    def _watch(self) -> None:
        while not self._ended.is_set():
            self._seen = lamps(self._shop)
            self._ended.wait(BETWEEN_LAMPS_SECONDS)
