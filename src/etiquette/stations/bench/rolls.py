"""A whole printed roll without hands: read, fit, cut, advance, until the roll shows no further code.

A frame that cannot be read or whose fit says no is set aside and the roll goes on: nothing has been cut of it. What
happens while the knife is down ends it: nobody is there to look."""

from functools import partial
from typing import Any

from etiquette.core.errors import JobError
from etiquette.stations.bench.bench_log import noted
from etiquette.stations.bench.cut_progress import progress_of
from etiquette.stations.bench.cutting import cut_sheet
from etiquette.stations.bench.mark_reading import lie_on_cutter, read_sheet
from etiquette.stations.bench.schemas import CutWork, ReadWork, RollAsked, SheetsCut
from etiquette.stations.sheets import back_on_shelf, sheet_there
from etiquette.stations.shop import Shop
from etiquette.store.models import Sheet
from etiquette.tasks.task import Outcome, Report


def cut_roll(shop: Shop, asked: RollAsked, report: Report) -> Outcome[SheetsCut]:
    """Task: cut the sheets `sheet_ids` that lie on the cutter as one roll, `end` first; `check`: also cut where the fit
    says check. The result tells which were cut and which were set aside."""
    machine = shop.device("cutter")
    wanted = [shop.database.within(partial(sheet_there, sheet_id=one)) for one in asked.sheet_ids]
    if not wanted:
        raise JobError("No sheet waits for the cutter.", machine.name, "Print a run and put film on it first.")
    cut = [sheet.name for sheet in wanted if sheet.state == "cut"]  # by a go that was broken off: never twice
    names = [sheet.name for sheet in wanted if sheet.state != "cut"]
    if not names:
        return Outcome(SheetsCut(state="done", cut=cut))
    if asked.end == "tail":
        names.reverse()  # a roll that is laid tail first shows its last frame first
    with shop.line("cutter") as line:
        lying = line.ask("roll", names=names, end=asked.end)["loaded"]
    aside: dict[str, str] = {}
    while lying is not None:
        sheet = next(one for one in wanted if one.name == lying)
        share = (len(cut) + len(aside)) / len(wanted)
        if not report(share, f"{lying}: frame {len(cut) + len(aside) + 1} of {len(wanted)}"):
            return Outcome(SheetsCut(state="held", cut=cut, aside=aside))
        shop.database.within(partial(lie_on_cutter, sheet_ids=[sheet.id]))
        trouble = _one(shop, sheet, asked.check)
        if trouble is None:
            cut.append(lying)
        else:
            aside[lying] = trouble
            set_aside(shop, sheet, trouble)
        with shop.line("cutter") as line:
            lying = line.ask("advance")["loaded"]
    shop.database.within(
        lambda session: noted(
            session,
            None,
            "good" if not aside else "look",
            f"The roll is through: {len(cut)} cut, {len(aside)} set aside.",
        )
    )
    return Outcome(SheetsCut(state="done", cut=cut, aside=aside))


def _one(shop: Shop, sheet: Sheet, check_too: bool) -> str | None:
    """Read and cut one sheet; why it is set aside, or None when it is cut. Raises JobError when the roll has to end."""

    def quiet(share: float, words: str, data: dict[str, Any] | None = None) -> bool:
        return True

    if doubtful := progress_of(sheet).doubtful:
        return f"{len(doubtful)} of its lines are in doubt."
    try:
        read = read_sheet(shop, ReadWork(), quiet).published(shop.database)
    except JobError as error:
        return error.what
    if read.sheet_id != sheet.id:
        return "Its code names another sheet than the one that was laid."
    if read.verdict == "stop" or (read.verdict == "check" and not check_too):
        return f"The fit says {read.verdict}."
    made = cut_sheet(shop, CutWork(sheet_id=sheet.id), quiet).published(shop.database)
    if made.state == "tool":
        raise JobError(
            f"{sheet.name} needs another tool: {made.waits_for}.",
            sheet.name,
            "Put it in, cut the rest of this sheet by itself, then start the roll again.",
        )
    return None


def set_aside(shop: Shop, sheet: Sheet, trouble: str) -> None:
    """Back to the shelf, and into the log."""

    def keep(session: Any) -> None:
        back_on_shelf(session.get_one(Sheet, sheet.id))
        noted(session, sheet.id, "stop", f"{sheet.name} is set aside: {trouble}")

    shop.database.within(keep)
