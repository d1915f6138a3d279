"""The copy of a night, made by a process of its own while the shop works."""

from datetime import datetime
from pathlib import Path

import structlog

from etiquette.core.errors import JobError
from etiquette.server.beside import done_beside
from etiquette.stations import safekeeping
from etiquette.stations.safekeeping import Copies, Last
from etiquette.stations.shop import Shop

EVERY_SECONDS = 10.0
log = structlog.stdlib.get_logger(__name__)


def copy_if_due(shop: Shop, at: datetime) -> bool:
    """Make a copy if one is due, note what became of it, and take the oldest ones away; whether one was due."""
    if not shop.database.within(lambda session: safekeeping.is_due(session, at)):
        return False
    copies = shop.database.within(safekeeping.copies_of)
    last = _copied(shop, copies, at)
    shop.database.within(lambda session: safekeeping.note(session, last))
    if last.problem:
        log.warning("no copy was made", problem=last.problem)
    else:
        gone = safekeeping.rotate(Path(copies.folder), copies.kept)
        log.info("a copy was made", file=last.file, bytes=last.bytes, older_ones_gone=len(gone))
    return True


def _copied(shop: Shop, copies: Copies, at: datetime) -> Last:
    file = Path(copies.folder) / safekeeping.name_at(at)
    try:
        told = done_beside(shop, "backup", str(file))
    except JobError as error:
        return Last(at, problem=f"{error.what} {error.do}")
    bad = len(told["damaged"]) + len(told["missing"])
    problem = f"{bad} files are damaged or gone: run “etiquette check”." if bad else ""
    return Last(at, str(file), file.stat().st_size, problem)
