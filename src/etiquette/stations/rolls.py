"""A whole printed roll without hands: read, fit, cut, advance, until the roll shows no further code.

A frame that cannot be read or whose fit says no is set aside and the roll goes on: nothing has been cut of it. What
happens while the knife is down ends it: nobody is there to look.
"""

from functools import partial
from typing import Any

from etiquette.core.errors import JobError
from etiquette.stations.bench import lie_on_cutter, read_sheet
from etiquette.stations.bench_log import noted
from etiquette.stations.cutting import cut_sheet, progress_of
from etiquette.stations.sheets import back_on_shelf, sheet_there
from etiquette.stations.shop import Shop
from etiquette.store.models import Sheet
from etiquette.work.tasks import Outcome, Report


def cut_roll(shop: Shop, arguments: dict[str, Any], report: Report) -> Outcome:
    """Task: cut the sheets `sheet_ids` that lie on the cutter as one roll, `end` first; `check`: also cut where the fit says
    check. The result tells which were cut and which were set aside."""
    machine = shop.device("cutter")
    wanted = [shop.database.within(partial(sheet_there, sheet_id=one)) for one in arguments["sheet_ids"]]
    if not wanted:
        raise JobError("No sheet waits for the cutter.", machine.name, "Print a run and put film on it first.")
    cut = [sheet.name for sheet in wanted if sheet.state == "cut"]  # by a go that was broken off: never twice
    names = [sheet.name for sheet in wanted if sheet.state != "cut"]
    if not names:
        return Outcome({"state": "done", "cut": cut, "aside": {}})
    if arguments["end"] == "tail":
        names.reverse()  # a roll that is laid tail first shows its last frame first
    with shop.line("cutter") as line:
        lying = line.ask("roll", names=names, end=arguments["end"])["loaded"]
    aside: dict[str, str] = {}
    while lying is not None:
        sheet = next(one for one in wanted if one.name == lying)
        share = (len(cut) + len(aside)) / len(wanted)
        if not report(share, f"{lying}: frame {len(cut) + len(aside) + 1} of {len(wanted)}"):
            return Outcome({"state": "held", "cut": cut, "aside": aside})
        shop.database.within(partial(lie_on_cutter, sheet_ids=[sheet.id]))
        trouble = _one(shop, sheet, bool(arguments.get("check")))
        if trouble is None:
            cut.append(lying)
        else:
            aside[lying] = trouble
            set_aside(shop, sheet, trouble)
        with shop.line("cutter") as line:
            lying = line.ask("advance")["loaded"]
    shop.database.within(lambda session: noted(session, None, "good" if not aside else "look", f"The roll is through: {len(cut)} cut, {len(aside)} set aside."))  # fmt: skip
    return Outcome({"state": "done", "cut": cut, "aside": aside})


def _one(shop: Shop, sheet: Sheet, check_too: bool) -> str | None:
    """Read and cut one sheet; why it is set aside, or None when it is cut. Raises JobError when the roll has to end."""

    def quiet(share: float, words: str, data: dict[str, Any] | None = None) -> bool:
        return True

    if doubtful := progress_of(sheet).doubtful:
        return f"{len(doubtful)} of its lines are in doubt."
    try:
        outcome = read_sheet(shop, {}, quiet)
    except JobError as error:
        return error.what
    if outcome.publish:
        shop.database.within(outcome.publish)
    verdict = outcome.result["verdict"]
    if outcome.result["sheet_id"] != sheet.id:
        return "Its code names another sheet than the one that was laid."
    if verdict == "stop" or (verdict == "check" and not check_too):
        return f"The fit says {verdict}."
    made = cut_sheet(shop, {"sheet_id": sheet.id}, quiet)
    if made.publish:
        shop.database.within(made.publish)
    if made.result["state"] == "tool":
        raise JobError(f"{sheet.name} needs another tool: {made.result['waits_for']}.", sheet.name, "Put it in, cut the rest of this sheet by itself, then start the roll again.")  # fmt: skip
    return None


def set_aside(shop: Shop, sheet: Sheet, trouble: str) -> None:
    """Back to the shelf, and into the log."""

    def keep(session: Any) -> None:
        back_on_shelf(session.get_one(Sheet, sheet.id))
        noted(session, sheet.id, "stop", f"{sheet.name} is set aside: {trouble}")

    shop.database.within(keep)
