"""Label webs: begun from designs, and edited."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import NotThere
from etiquette.files.documents.webs import WebDocument
from etiquette.files.web_file import RollsFile, RulesOfMarkFile
from etiquette.stations import designs, edits
from etiquette.stations.designs import DesignState
from etiquette.stations.run.web_labels import label_for, own_label
from etiquette.stations.shop import Shop
from etiquette.store.models import Finisher, LabelWeb, Stock, WebPart

WEB_RECIPE = 2
"""Goes into the key of the files: raise it when the way they are made changes."""
FIRST_GAP_MM = 4.0
"""Between labels of a new web, and twice its bleed: a strip of waste as wide as this comes off in one piece."""
FIRST_WIDTH_MM = 200.0
RANGES = ("width_mm", "height_mm", "left_mm", "bottom_mm")
"""What a finisher asks as a least and a most: kept as a list, empty where there is no rule."""
NARROW_MM = 10.0
"""A new web is no wider than its labels and this much on each side, where no stock says how wide it is."""


def web_there(session: Session, web_id: int) -> LabelWeb:
    """Raises NotThere."""
    row = session.get(LabelWeb, web_id)
    if row is None:
        raise NotThere("There is no such label web.", f"web {web_id}", "Go back to Run and choose one that is there.")
    return row


def begin(shop: Shop, session: Session, design_ids: Sequence[int]) -> int:
    """A web of these designs beside each other, each cut as the first is: all of it can be changed. Raises NotThere,
    JobError."""
    states = list(designs.states_of(session, design_ids).values())
    first = states[0]
    label = label_for(shop, first)
    columns = len(states)
    wide = columns * label.width_mm + (columns - 1) * FIRST_GAP_MM
    bleed = first.document.bleed_mm
    document = WebDocument(
        name=first.document.name[:120],
        designs=[state.design.id for state in states],
        label=label,
        width_mm=max(FIRST_WIDTH_MM, wide + 2 * (NARROW_MM + bleed)),
        columns=columns,
        gap_across_mm=FIRST_GAP_MM if columns > 1 else 0.0,
        gap_along_mm=FIRST_GAP_MM,
        bleed_mm=min(bleed, FIRST_GAP_MM / 2),
        rolls=RollsFile(count=max(1, sum(state.document.due_count for state in states))),
    )
    row = LabelWeb(document=document)
    session.add(row)
    session.flush()
    return row.id


def change(session: Session, web_id: int, revision: int, words: str, changes: dict[str, Any]) -> None:
    """One edit; a stock brings its width along. Raises NotThere, Stale."""
    stock_id = changes.get("stock_id")
    if stock_id is not None:
        stock = session.get(Stock, stock_id)
        if stock is None:
            raise NotThere("There is no such stock.", f"stock {stock_id}", "Choose one that stands on the Shelf.")
        changes = {"width_mm": stock.width_mm, **changes}
    if "width_mm" in changes and "stock_id" not in changes:
        changes = {**changes, "stock_id": None}
    if "designs" in changes:
        designs.states_of(session, changes["designs"])
    edits.apply(session, "web", web_id, revision, words, changes)


def take_shape(shop: Shop, session: Session, web_id: int, revision: int, design_id: int) -> None:
    """One edit: labels are cut as the design's own line goes. Raises NotThere, JobError, Stale."""
    state = designs.state_of(session, design_id)
    label = own_label(shop, state).model_dump(mode="json")
    words = f"the shape of {state.document.name}"[:200]
    edits.apply(session, "web", web_id, revision, words, {"label": label})


def key_of(document: WebDocument, states: Mapping[int, DesignState]) -> str:
    """Names all that the files are made from."""
    filled = any(state.document.rows and state.document.rows.fields for state in states.values())
    without = {"applicator", "stock_id", "print_mode_id", *(() if filled else ("rolls", "rows_from", "only_rows"))}
    values = document.model_dump(mode="json", exclude=without)
    arts = [
        [
            *(state.art.content_sha, state.lines_key, state.document.width_mm, state.document.model_dump(mode="json")),
            [asdict(ink) for ink in state.specials],
        ]
        for state in states.values()
    ]
    return hashlib.sha256(json.dumps([WEB_RECIPE, values, arts], sort_keys=True).encode()).hexdigest()


def keep_finisher(session: Session, name: str, rules: RulesOfMarkFile) -> None:
    """Under this name from now on."""
    row = session.scalar(select(Finisher).where(Finisher.name == name).with_for_update())
    if row is None:
        row = Finisher(name=name)
        session.add(row)
    for key, value in rules.model_dump(mode="json").items():
        setattr(row, key, [] if value is None and key in RANGES else value)
    row.away = False


def parts_of_web(session: Session, web_id: int) -> list[WebPart]:
    """What is printed first, then what is cut."""
    return list(session.scalars(select(WebPart).where(WebPart.web_id == web_id).order_by(WebPart.name.desc())))


def part_there(session: Session, web_id: int, name: str) -> WebPart:
    """Raises NotThere."""
    part = session.get(WebPart, (web_id, name))
    if part is None:
        raise NotThere(f"There is no {name} of this web.", f"web {web_id}", "Make its files first.")
    return part
