"""Whose a database is: the demo's own, empty, or somebody's. Small, because every start asks it."""

from sqlalchemy import literal, select
from sqlalchemy.orm import Session

from etiquette.store.models import Base, Setting

DEMO, LOADING, LOADED = "demo", "loading", "loaded"
"""The setting that says that a database is the demo's: written first, so that a load that was cut off is known as
one."""
LEFT_ALONE = frozenset(("machine", "sign_in_link", "sign_in_failure"))
"""Locks of machines and links of former starts are no data of anybody's."""


def is_empty(session: Session) -> bool:
    """Whether no table holds anything at all."""
    tables = [table for table in Base.metadata.sorted_tables if table.name not in LEFT_ALONE]
    return all(session.execute(select(literal(1)).select_from(table).limit(1)).first() is None for table in tables)


def is_demo(session: Session) -> bool:
    """Whether the database is the demo's."""
    return session.get(Setting, DEMO) is not None


def claim(session: Session) -> bool:
    """Make an empty database, or one of a demo that was cut off, the demo's; False: it holds somebody's work, or the
    whole demo."""
    state = session.get(Setting, DEMO)
    if state is None and is_empty(session):
        session.add(Setting(name=DEMO, value=LOADING))
        return True
    if state is not None and state.value == LOADING:
        _clear_away(session)
        return True
    return False


def _clear_away(session: Session) -> None:
    """What a load that was cut off left behind; nobody has worked on it, because nothing is shown before it is
    complete."""
    for table in reversed(Base.metadata.sorted_tables):
        if table.name not in ("blob", "setting"):
            session.execute(table.delete())
