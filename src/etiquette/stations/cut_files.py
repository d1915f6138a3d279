"""Cut files for machines that fetch their jobs by themselves: two a frame, one for each end, named by its code. Those
of a cutter that is reached by a folder are put there when the frame is printed."""

import re
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.insets import inset
from etiquette.core.cutting.media import Media
from etiquette.core.cutting.motion import plan_motion
from etiquette.core.cutting.profiles import named, profile_named
from etiquette.core.cutting.writers import WRITERS
from etiquette.core.errors import JobError, NotThere
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Points
from etiquette.core.marking.marks import mark_paths
from etiquette.devices.addresses import parsed
from etiquette.devices.open_directory import put_file
from etiquette.stations.line_rules import rules_file
from etiquette.stations.plate_sets import lines_of_plate
from etiquette.stations.shop import Shop
from etiquette.stations.tools import as_told, cards_for, cutter_of, setting_of
from etiquette.store.models import Cutter, Plate, Run, Sheet
from etiquette.store.states import ON_SHELF, SheetState

FOLDER = "cut files"
ENDS = ("H", "T")
FOR_ITS_CUTTER = "plt"
"""The form that the cutter of the run itself takes."""


@dataclass(frozen=True)
class Form:
    """One form a cut file may have: words for the choice, profile of the device (empty: the cutter of the run),
    ending."""

    words: str
    profile: str
    ending: str


FORMS = {
    FOR_ITS_CUTTER: Form("HP-GL for the cutter of this run", "", ".plt"),
    "table plt": Form("HP-GL for a table with two holders", "two-tool-table", ".plt"),
    "laser svg": Form("SVG for a laser, a colour for each kind", "laser", ".svg"),
    "laser pdf": Form("PDF for a laser, a colour for each kind", "laser", ".pdf"),
    "laser dxf": Form("DXF for a laser, a layer for each kind", "laser", ".dxf"),
    "web svg": Form("SVG for a web cutter, marks on top", "web-cutter", ".svg"),
    "web pdf": Form("PDF for a web cutter, marks on top", "web-cutter", ".pdf"),
}


def write_cut_files(
    shop: Shop, plate: Plate, form: str = FOR_ITS_CUTTER, kinds: Sequence[Kind] | None = None
) -> list[str]:
    """Write both cut files of a frame, with lines of these kinds alone, into the folder “cut files” of the shop's data;
    returns their names. Raises NotThere for an unknown form, JobError when no line is of these kinds."""
    made = cut_files_of(shop, plate, form, kinds)
    for name, content in made.items():
        put_file(shop.settings.data / FOLDER, name, content)
    return list(made)


def hand_to_cutter(shop: Shop, plate: Plate, kinds: Sequence[Kind] | None = None) -> list[str]:
    """Put both cut files of a frame, with lines of these kinds alone, into the folder from which the cutter of its run
    fetches them; nothing where it fetches none. Raises JobError when the folder cannot be written to, or another sheet
    would be taken for this one."""
    folder = shop.database.within(lambda session: _fetches_from(session, plate))
    if folder is None:
        return []
    other = shop.database.within(lambda session: _other_print(session, plate))
    if other is not None:
        raise JobError(
            f"{other} is another print of this frame and wants another cut: the cutter would take this one for it.",
            str(folder),
            "Cut it or put it aside first, then write the files at the Bench.",
        )
    made = cut_files_of(shop, plate, kinds=kinds)
    try:
        if not folder.is_dir():
            raise FileNotFoundError
        for name, content in made.items():
            put_file(folder, name, content)
    except OSError as error:
        what = (
            f"The cut files {' and '.join(made)} could not be put into {folder}: {error.strerror or 'it is not there'}."
        )
        raise JobError(what, str(folder), "Mend the folder, then write them at the Bench.") from None
    return list(made)


def _other_print(session: Session, plate: Plate) -> str | None:
    """The name of a sheet that waits for the cutter under the same code, with other lines: a run keeps its codes when
    it is edited, and a machine that fetches its jobs knows nothing but the code."""
    waits = Sheet.state.in_((*ON_SHELF, SheetState.PRINTING, SheetState.UNCLEAR))
    others = select(Sheet).join(Plate).where(waits, Plate.run_id == plate.run_id, Plate.lines_sha != plate.lines_sha)
    return next((one.name for one in session.scalars(others) if one.plate.summary.code == plate.summary.code), None)


def take_back(shop: Shop, plate: Plate) -> None:
    """The frame was not printed: its cut files are not to be fetched, unless another print of it is there,
    whose they may be."""

    def unused(session: Session) -> Path | None:
        ended = (SheetState.FAILED, SheetState.HELD)
        there = select(Sheet.id).where(Sheet.plate_id == plate.id, Sheet.state.not_in(ended)).limit(1)
        wanted = session.scalar(there) is not None or _other_print(session, plate) is not None
        return None if wanted else _fetches_from(session, plate)

    folder = shop.database.within(unused)
    if folder is None:
        return
    for end in ENDS:
        with suppress(OSError):  # a folder that is gone offers nothing
            (folder / f"{plate.summary.code}-{end}.plt").unlink(missing_ok=True)


def _fetches_from(session: Session, plate: Plate) -> Path | None:
    """The folder of the cutter that a frame is for, if it has one."""
    document = session.get_one(Run, plate.run_id).document
    cutter = session.get(Cutter, document.cutter_id or 0) if document.way == "print" else None
    if cutter is None or not cutter.address.startswith("folder:"):
        return None
    return Path(parsed(cutter.address, "cutter").path)


def cut_files_of(
    shop: Shop, plate: Plate, form: str = FOR_ITS_CUTTER, kinds: Sequence[Kind] | None = None
) -> dict[str, bytes]:
    """The cut of a frame as planned, from its first mark, by name: CODE-H for a sheet that is loaded head first, CODE-T
    half a turn further for tail first; lines of these `kinds` alone. Raises NotThere for an unknown form, JobError when
    no line is of these kinds."""
    if form not in FORMS:
        raise NotThere("There is no such form of cut file.", form, "Choose one at the Bench.")
    wanted = FORMS[form]
    plan, recipe = plate.summary.plan.to_plan(), plate.summary.marks
    size = np.array([plan.width_mm, plan.length_mm])
    lines = of_kinds(lines_of_plate(shop, plate).lines, kinds, plan.code)
    document = shop.database.within(lambda session: session.get_one(Run, plate.run_id).document)

    def with_what(session):  # type: ignore[no-untyped-def]
        cutter = cutter_of(session, document)
        return setting_of(cutter), cards_for(session, cutter.id, document), rules_file(session).names

    setting, cards, names = shop.database.within(with_what)
    setting = replace(setting, feed=1.0)  # a machine that fetches its jobs corrects its feed by itself
    if wanted.profile:
        setting = replace(setting, profile=named(profile_named(wanted.profile), names))
    if wanted.ending != ".plt":  # the outline itself: a laser drags no knife, a web cutter leads its own
        cards = {kind: replace(card, offset_mm=0.0, overcut_mm=0.0) for kind, card in cards.items()}
    marks = np.array([(mark.x, mark.y) for mark in plan.marks] or [(0.0, 0.0)])
    files = {}
    for end, turned in (("H", False), ("T", True)):
        first = size - marks if turned else marks
        origin = first[np.lexsort((first[:, 0], first[:, 1]))[0]]

        def laid(points: Points, turned: bool = turned, origin: Points = origin) -> Points:
            return (size - points if turned else points) - origin

        media = Media(plan.width_mm)  # its rollers stand beside a first mark that only it finds
        inner = inset(lines, setting.profile.style.inset_mm)
        motion = plan_motion(inner, setting.profile, cards, laid, media=media, ranks=ranks_of(shop, plate, inner))
        name = f"{plan.code}-{end}{wanted.ending}"
        if wanted.ending == ".plt":
            made: str | bytes = as_told(motion.strokes, setting, cards)
        else:
            drawn = [
                path.mapped(laid)
                for mark in plan.marks
                for path in mark_paths(recipe, mark.x, mark.y, plan.inward(mark))
            ]
            made = WRITERS[wanted.ending](motion, setting.profile, cards, drawn)
        files[name] = made.encode() if isinstance(made, str) else made
    return files


def ranks_of(shop: Shop, plate: Plate, lines: Sequence[FinishLine]) -> list[int] | None:
    """The row of the piece that each line is of, where a run is cut in the order of its rows; lines of no piece come
    first. None: by the shortest way."""
    rows = plate.summary.rows
    document = shop.database.within(lambda session: session.get_one(Run, plate.run_id).document)
    if not rows or document.cut_order != "rows":
        return None
    return [rows[line.piece - 1] if line.piece else 0 for line in lines]


def of_kinds(lines: Sequence[FinishLine], kinds: Sequence[Kind] | None, where: str) -> list[FinishLine]:
    """Those of `lines` that are of these kinds; None: all. Raises JobError when none is."""
    kept = [line for line in lines if kinds is None or line.kind in kinds]
    if not kept:
        raise JobError("No line of this frame is of the kinds that are ticked.", where, "Tick one that it has.")
    return kept


def cut_file(shop: Shop, name: str) -> Path:
    """A file that was written before. Raises NotThere."""
    path = shop.settings.data / FOLDER / name
    if not re.fullmatch(r"[A-Z0-9]+-[HT]\.(plt|svg|pdf|dxf)", name) or not path.is_file():
        raise NotThere("There is no such cut file.", name, "Write the cut files of its sheet at the Bench.")
    return path
