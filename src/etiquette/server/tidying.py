"""Once an hour what was chosen for finished work is done, and what is over of sign-ins goes; every few hours, what
nothing needs any more."""

import structlog

from etiquette.people.sign_in import forget_what_is_over
from etiquette.server.beside import done_beside
from etiquette.stations.finished import sweep
from etiquette.stations.shop import Shop

EVERY_SECONDS = 3600.0
COLLECT_SECONDS = 6 * 3600.0
"""Counted from the start: the first start of a morning is not made slower."""
log = structlog.stdlib.get_logger(__name__)


def tidy(shop: Shop) -> None:
    gone = sweep(shop)
    shop.database.within(forget_what_is_over)
    shop.blobs.trim()
    if gone.jobs or gone.print_files:
        log.info("finished work was cleared", jobs=gone.jobs, print_files=gone.print_files, bytes=gone.bytes)


def collect(shop: Shop) -> None:
    log.info("what nothing needs was collected", **done_beside(shop, "collect")["gone"])
