"""What a customer gets once more ought to look as it did: what is other than when a design was printed last."""

from collections import defaultdict

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from etiquette.files.documents.plates import PlateSetDocument
from etiquette.stations.plate_sets import colour_of
from etiquette.stations.run_rolls import roll_of
from etiquette.stations.runs import RunState
from etiquette.stations.what_lies import Check
from etiquette.store.models import Roll, Sheet, Stock

MOST_LOOKED_AT = 200
"""Prints back from the last one: what was printed before them is another season's."""


def reprint_checks(session: Session, state: RunState) -> list[Check]:
    """Of each design that was printed before: what is other now, that its colours hang on. Empty: none was."""
    wanted, differs, same = set(state.designs), defaultdict[str, list[str]](list), False
    newest = select(Sheet).where(Sheet.printed_at.is_not(None)).options(joinedload(Sheet.plate))
    for sheet in session.scalars(newest.order_by(Sheet.printed_at.desc()).limit(MOST_LOOKED_AT)):
        here = wanted & set(sheet.plate.summary.placed)
        for design in sorted(here):
            words = _other(state, sheet.plate.summary, roll_of(session, sheet))
            same = same or not words
            if words:
                differs[", ".join(words)].append(state.designs[design].document.name)
        wanted -= here
        if not wanted:
            break
    checks = [
        Check("look", f"Printed before with {words}: {', '.join(names)}. Colours may differ")
        for words, names in differs.items()
    ]
    return checks or ([Check("good", "As it was printed before: stock, mode, profile and lot")] if same else [])


def _other(state: RunState, then: PlateSetDocument, roll: Roll) -> list[str]:
    """What was other then, with what it is now."""
    kit, words = state.kit, []
    stock: Stock = kit.stock
    if then.stock != stock.name:
        words.append(f"stock {then.stock}, now {stock.name}")
    mode = kit.mode.name if kit.mode else "none"
    if then.mode and then.mode != mode:
        words.append(f"mode {then.mode}, now {mode}")
    before, now = then.colour, colour_of(kit)
    if then.mode and before != now:
        words.append(_profile_words(before.profile if before else "", now.profile if now else ""))
    if roll.lot and kit.roll.lot and roll.lot != kit.roll.lot:
        words.append(f"lot {roll.lot}, now {kit.roll.lot}")
    return words


def _profile_words(before: str, now: str) -> str:
    if before == now:
        return f"another file or use of the profile {now}"
    return f"{f'the profile {before}' if before else 'no profile'}, now {now or 'none'}"
