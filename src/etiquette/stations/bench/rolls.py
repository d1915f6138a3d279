"""A whole printed roll without hands: read, fit, cut, and on to the next frame.

A frame that cannot be read or whose fit says no is set aside and the roll goes on: nothing has been cut of it. What
happens while the knife is down ends it: nobody is there to look."""

from collections.abc import Sequence
from functools import partial
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from etiquette.core.aligning.reading import CodeNotFound
from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.changes import changes, frame_by_frame, rounds
from etiquette.core.cutting.profiles import ToolCard
from etiquette.core.errors import JobError
from etiquette.stations.bench.cut_progress import lines_of_sheet, progress_of, wanted_lines
from etiquette.stations.bench.cutting import cut_sheet
from etiquette.stations.bench.mark_reading import HEAD_WAITS_MM, lie_on_cutter, read_sheet
from etiquette.stations.bench.schemas import (
    CutWork,
    MarksRead,
    MatAsked,
    ReadWork,
    RollAsked,
    RollPlan,
    RollPlanAsked,
    RoundShown,
    SheetsCut,
)
from etiquette.stations.machines import CutterHere, cutter_of_sheet
from etiquette.stations.sheet_log import noted
from etiquette.stations.sheets import back_on_shelf, sheet_there
from etiquette.stations.shop import Shop
from etiquette.stations.tools import cards_for, put_in
from etiquette.store.models import Run, Sheet
from etiquette.tasks.task import Outcome, Report

FURTHER_TRIES, FURTHER_MM = 4, 45.0
"""How often, and in which steps, a sheet is looked for further on along the roll."""


def cut_roll(shop: Shop, asked: RollAsked, report: Report) -> Outcome[SheetsCut]:
    """Task: cut the sheets `sheet_ids` that lie on the cutter as one roll, `end` first; `check`: also cut where the fit
    says check; `kinds`: only these, and the sheets lie on the roll for the next tool then. The result tells which were
    cut and which were set aside."""
    cutter = shop.database.within(lambda session: cutter_of_sheet(session, next(iter(asked.sheet_ids), None)))
    wanted = [shop.database.within(partial(with_plate, sheet_id=one)) for one in asked.sheet_ids]
    if not wanted:
        raise JobError("No sheet waits for the cutter.", cutter.name, "Print a run and put film on it first.")
    refuse_without_code(wanted)
    keep_tool(shop, cutter, asked)
    cut = [sheet.name for sheet in wanted if sheet.state == "cut"]  # by a go that was broken off: never twice
    left = [sheet for sheet in wanted if sheet.state != "cut"]
    if asked.end == "tail":
        left.reverse()  # a roll that is laid tail first shows its last frame first
    aside: dict[str, str] = {}
    start: tuple[float, float] | None = None
    for number, sheet in enumerate(left):
        if not report(number / len(left), f"{sheet.name}: frame {number + 1} of {len(left)}"):
            return Outcome(SheetsCut(state="held", cut=cut, aside=aside))
        shop.database.within(partial(lie_on_cutter, sheet_ids=[sheet.id], cutter_id=cutter.id))
        trouble = _one(shop, sheet, asked, start)
        start = shop.database.within(partial(_next_head, sheet_id=sheet.id, end=asked.end, start=start))
        if trouble is None:
            cut.append(sheet.name)
        else:
            aside[sheet.name] = trouble
            set_aside(shop, sheet, trouble)
    shop.database.within(
        lambda session: noted(
            session,
            None,
            "good" if not aside else "look",
            f"{through('roll', asked.kinds)}: {len(cut)} cut, {len(aside)} set aside.",
        )
    )
    if asked.kinds and left:  # the last one lies there half cut: it goes back with the rest of the roll
        shop.database.within(partial(off_the_cutter, sheet_id=left[-1].id))
    return Outcome(SheetsCut(state="done", cut=cut, aside=aside))


def keep_tool(shop: Shop, cutter: CutterHere, asked: MatAsked) -> None:
    """Hands have said which tool they put in for this round."""
    if tool := asked.ready:
        shop.database.within(lambda session: put_in(session, cutter.id, tool))


def through(what: str, kinds: Sequence[Kind] | None) -> str:
    """What the log says when all sheets have been gone over."""
    return f"The {what} is through" if kinds is None else f"The {what} is through with {', '.join(kinds)}"


def off_the_cutter(session: Session, sheet_id: int) -> None:
    """A sheet that lies there half cut is on the shelf again."""
    sheet = session.get_one(Sheet, sheet_id)
    if sheet.state in ("loaded", "read"):
        back_on_shelf(sheet)


def plan_of(shop: Shop, asked: RollPlanAsked) -> RollPlan:
    """Which tools the sheets still need, and how often they have to be changed either way. Raises NotThere."""
    cutter = shop.database.within(lambda session: cutter_of_sheet(session, next(iter(asked.sheet_ids), None)))
    sheets = [shop.database.within(partial(with_plate, sheet_id=one)) for one in asked.sheet_ids]
    tools: dict[Kind, str] = {}
    frames = []
    for sheet in sheets:
        if sheet.state == "cut":
            continue
        lines, progress = lines_of_sheet(shop, sheet.plate), progress_of(sheet)
        frames.append({lines[number].kind for number in wanted_lines(lines, progress, None)})
        cards = shop.database.within(partial(_cards, cutter_id=cutter.id, run_id=sheet.plate.run_id))
        tools |= {kind: card.tool for kind, card in cards.items()}
    if cutter.setting.profile.tools > 1:  # it changes by itself
        tools = dict.fromkeys(tools, "")
    turns, holder = rounds(frames, tools), cutter.setting.holder
    return RollPlan(
        rounds=[RoundShown(tool=one.tool, kinds=list(one.kinds)) for one in turns],
        frames=len(frames),
        holder=holder,
        by_tool=changes(turns, holder),
        by_frame=changes(frame_by_frame(frames, tools), holder),
    )


def _cards(session: Session, cutter_id: int, run_id: int) -> dict[Kind, ToolCard]:
    return cards_for(session, cutter_id, session.get_one(Run, run_id).document)


def with_plate(session: Session, sheet_id: int) -> Sheet:
    """Raises NotThere."""
    sheet = sheet_there(session, sheet_id)
    assert sheet.plate is not None  # loaded with it
    return sheet


def refuse_without_code(sheets: Sequence[Sheet]) -> None:
    """Among several sheets only a code tells where each begins: marks of the one before look like its own. Raises
    JobError."""
    for sheet in sheets:
        if not sheet.plate.summary.plan.codes:
            raise JobError(
                f"{sheet.name} is a page without a code: among others nothing tells where it begins.",
                sheet.name,
                "Load and cut it by itself.",
            )


def _next_head(session: Session, sheet_id: int, end: str, start: tuple[float, float] | None) -> tuple[float, float]:
    """Where the head waits for the next sheet of the roll: beyond the end of this one, which its fit tells; of one that
    could not be read, as far on as it was planned long."""
    sheet = sheet_there(session, sheet_id)
    plan = sheet.plate.summary.plan
    if sheet.reading is None:
        x, y = start or (plan.width_mm / 2 + HEAD_WAITS_MM[0], HEAD_WAITS_MM[1])
        return x, y + plan.length_mm
    far = 0.0 if end == "tail" else plan.length_mm
    x, y = sheet.reading.fit.transform.to_transform()(np.array([[plan.width_mm / 2, far]]))[0]
    return float(x) + HEAD_WAITS_MM[0], float(y) + HEAD_WAITS_MM[1]


def _one(shop: Shop, sheet: Sheet, asked: RollAsked, start: tuple[float, float] | None) -> str | None:
    """Read and cut one sheet; why it is set aside, or None when it is cut. Raises JobError when the roll has to end."""

    def quiet(share: float, words: str, data: dict[str, Any] | None = None) -> bool:
        return True

    if doubtful := progress_of(sheet).doubtful:
        return f"{len(doubtful)} of its lines are in doubt."
    try:
        read = _read(shop, sheet, start, quiet).published(shop.database)
    except JobError as error:
        return error.what
    if read.sheet_id != sheet.id:
        return "Its code names another sheet than the one that was laid."
    if read.verdict == "stop" or (read.verdict == "check" and not asked.check):
        return f"The fit says {read.verdict}."
    cut_kinds(shop, sheet, asked.kinds, "Put it in, cut the rest of this sheet by itself, then start the roll again.")
    return None


def cut_kinds(shop: Shop, sheet: Sheet, kinds: list[Kind] | None, do: str) -> None:
    """Cut the lines of these `kinds` that are left of a sheet; `do`: what is said when it wants another tool. Raises
    JobError."""
    if not wanted_lines(lines_of_sheet(shop, sheet.plate), progress_of(sheet), kinds):
        return  # none of this tool's
    made = cut_sheet(shop, CutWork(sheet_id=sheet.id, kinds=kinds), lambda *_: True).published(shop.database)
    if made.state == "tool":
        raise JobError(f"{sheet.name} needs another tool: {made.waits_for}.", sheet.name, do)


def _read(shop: Shop, sheet: Sheet, start: tuple[float, float] | None, quiet: Report) -> Outcome[MarksRead]:
    """Read a sheet from `start` on. After one that could not be read it is not known how far the next one lies: it is
    looked for further on, a few times. Raises JobError."""
    for step in range(FURTHER_TRIES if start else 1):
        further = (start[0], start[1] + step * FURTHER_MM) if start else None
        try:
            return read_sheet(shop, ReadWork(sheet_id=sheet.id, start=further), quiet)
        except CodeNotFound as error:
            last = error
    raise last


def set_aside(shop: Shop, sheet: Sheet, trouble: str) -> None:
    """Back to the shelf, and into the log."""

    def keep(session: Any) -> None:
        back_on_shelf(session.get_one(Sheet, sheet.id))
        noted(session, sheet.id, "stop", f"{sheet.name} is set aside: {trouble}")

    shop.database.within(keep)
