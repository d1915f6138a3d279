"""Bench: load the sheet, read its code and marks, fit. Cutting is in cutting.py, counting in counting.py."""

from collections.abc import Mapping, Sequence
from contextlib import nullcontext
from dataclasses import dataclass
from typing import Literal

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.aligning.feeding import feed_drift_mm
from etiquette.core.aligning.fitting import Fit, ReadMark, fit_marks, grid_inside
from etiquette.core.aligning.mark_finding import find_marks
from etiquette.core.aligning.models import Transform, estimate
from etiquette.core.aligning.reading import Begun, Look, Reading, ReadingHeld, Told, find_frame_code, read_marks
from etiquette.core.aligning.windows import SeenCode, Window
from etiquette.core.errors import JobError, NotThere
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.files.contracts import FitFile
from etiquette.files.documents.sheets import MarkRead, Mesh, Moved, PointedDocument, ReadBy, ReadingDocument
from etiquette.stations.bench.schemas import MarksRead, ReadWork
from etiquette.stations.machines import CutterHere, cutter_of_sheet
from etiquette.stations.sheet_log import noted
from etiquette.stations.sheets import back_on_shelf, sheet_there
from etiquette.stations.shop import Shop
from etiquette.store.models import Frame, Plate, Sheet
from etiquette.store.states import SheetState
from etiquette.tasks.task import Outcome, Report

HEAD_WAITS_MM = (0.0, 35.0)
"""Where the head waits before the first code: in the middle of the sheet's width, this far in from the loading line."""
LONG_STRETCHES = 2
"""A frame longer than so many stretches of its cutter is moved from stretch to stretch (core.cutting.ordering)."""
HEAD_NOISE_MM = 0.02
"""Standard deviation of one coordinate as an optical head reads it: finding the middle in pixels is far better (see
benchmarks/marks.py), what remains is how exactly the head knows where it is (an assumption of our own)."""
PHOTO_NOISE_MM = 0.04
"""The same for marks in a photo of the table, of pixels of about 0.26 mm (0.014 mm at worst on the stand-in's camera; a
real table is not as flat)."""
HAND_NOISE_MM = 0.2
"""The same for a place that hands point at because no mark can be made out there (an assumption of our own)."""
MESH = 9
USUAL_WIDTH_MM = 1000.0
"""Of a sheet that nobody has named: the search begins in the middle of it."""
LAID_OR_CAN_BE = frozenset(("printed", "laminated", "loaded", "read", "cut"))


def load(shop: Shop, sheet_id: int, end: Literal["head", "tail"]) -> None:
    """Hands have laid a sheet on its cutter. The marks say which end lies first; what is said here is where they are
    looked for. Raises JobError."""
    cutter = shop.database.within(lambda session: refuse_unloadable(session, sheet_id))
    with shop.by_hand(cutter, "a sheet is being loaded") as held:
        held.database.within(lambda session: lie_on_cutter(session, [sheet_id], cutter.id, end))


def refuse_unloadable(session: Session, sheet_id: int) -> CutterHere:
    """The cutter that a sheet is for. Raises JobError when it cannot be laid on any."""
    sheet = sheet_there(session, sheet_id)
    if sheet.state not in ("printed", "laminated", "loaded", "read", "cut"):
        raise JobError("This sheet is not on the shelf of printed sheets.", sheet.name, "Print it first.")
    return cutter_of_sheet(session, sheet_id)


def lie_on_cutter(
    session: Session, sheet_ids: Sequence[int], cutter_id: int, end: Literal["head", "tail"] = "head"
) -> None:
    """These sheets lie there now, not yet read; whatever lay there before is on the shelf again. A sheet that was cut
    whole is begun anew, one that was cut in part goes on."""
    lying = select(Sheet).where(Sheet.state.in_(("loaded", "read")), Sheet.cutter_id == cutter_id)
    for other in session.scalars(lying):
        back_on_shelf(other)
    for sheet_id in sheet_ids:
        row = session.get_one(Sheet, sheet_id)
        if row.state == "cut":
            row.progress, row.good = None, None
        row.state, row.reading, row.report, row.cutter_id = SheetState.LOADED, None, None, cutter_id
        row.pointed = PointedDocument(end=end)


def read_sheet(shop: Shop, wanted: ReadWork, report: Report) -> Outcome[MarksRead]:
    """Task: find the code and the marks of whatever lies on the cutter, recognise frame and end, solve the fit. With
    `by` "photo" the marks are read from photos of the table, else by the head. A page with its own marks has no code:
    then it is the sheet that was asked for."""
    by_photo = wanted.by == "photo"
    asked, cutter = shop.database.within(
        lambda session: (_without_code(session, wanted.sheet_id), cutter_of_sheet(session, wanted.sheet_id))
    )
    start = _where_the_head_waits(shop, cutter, wanted.start)

    drift: float | None = None

    def told(words: str, step: int, steps: int) -> bool:
        return report(0.05 + 0.9 * step / max(steps, 1), words, {"step": step, "steps": steps})

    with nullcontext() if by_photo else cutter.line(shop) as line:
        head = cutter.camera() if line is None else cutter.head(line)
        if line is not None:
            line.refuse_other_scale()

        def look(x: float, y: float) -> Window:
            # the mat is where the knife goes; the head is a little beside it, as its test card found
            return head(x, y) if by_photo else cutter.setting.corrected(head, x, y)

        try:
            if asked:
                sheet, plate, code = asked, asked.plate, ""
                reading, end = _as_laid(look, sheet, start, told)
            else:
                seen = find_frame_code(look, start, told)
                sheet, plate = shop.database.within(lambda session: _recognised(session, seen, cutter))
                code, end = seen.code.payload, seen.code.end
                plan = plate.summary.plan.to_plan()
                begun = Begun.at_code(plan, seen)
                if not by_photo and _is_fed(plan, cutter):
                    drift = feed_drift_mm(look, begun, plan, plate.summary.marks, told)
                reading = read_marks(look, begun, plan, plate.summary.marks, told)
        except ReadingHeld:
            return Outcome(MarksRead())
    how = HowRead(code, end, "photo" if by_photo else "head", head.looks)
    fit, note = fitted(plate, reading.marks, reading.tries, how, reading.looked_mm)
    if fit.load != end:
        raise JobError(
            "The code says one end and the marks say the other.",
            sheet.name,
            "Take the sheet off, check that it is whole, and load it again.",
        )
    note = note.with_(drift_mm=drift)
    made = MarksRead(sheet_id=sheet.id, verdict=fit.verdict)
    return Outcome(made, lambda session: keep_reading(session, sheet.id, cutter.id, fit, note))


def _is_fed(plan: FramePlan, cutter: CutterHere) -> bool:
    """Whether a frame is so long that its media is moved to and fro while it is cut."""
    return plan.length_mm > LONG_STRETCHES * cutter.setting.profile.stretch_mm > 0


def _without_code(session: Session, sheet_id: int | None) -> Sheet | None:
    """The sheet that is asked for, when it carries no code; None where the code says which sheet it is."""
    sheet = sheet_there(session, sheet_id) if sheet_id is not None else None
    return sheet if sheet and not sheet.plate.summary.plan.codes else None


def _as_laid(
    look: Look, sheet: Sheet, start: tuple[float, float], told: Told
) -> tuple[Reading, Literal["head", "tail"]]:
    """The marks of a sheet without a code, from how it was said to lie; where they are not there, from the other end.
    Raises JobError, ReadingHeld."""
    if sheet.state not in ("loaded", "read"):
        raise JobError("This sheet has no code: it has to be said that it lies there.", sheet.name, "Load it first.")
    said: Literal["head", "tail"] = sheet.pointed.end if sheet.pointed else "head"
    plan, recipe = sheet.plate.summary.plan.to_plan(), sheet.plate.summary.marks
    ends: tuple[Literal["head", "tail"], ...] = (said, "tail" if said == "head" else "head")
    readings = []
    for end in ends:
        begun = Begun.at_end(plan, end, start, HEAD_WAITS_MM[1])
        readings.append(read_marks(look, begun, plan, recipe, told))
        if _found(readings[-1]) == len(plan.marks):
            return readings[-1], end
    best = max((0, 1), key=lambda number: _found(readings[number]))
    return readings[best], ends[best]


def _found(reading: Reading) -> int:
    return sum(mark.measured is not None for mark in reading.marks)


@dataclass(frozen=True)
class HowRead:
    """What the code said (nothing where there is none), and by what and in how many looks a sheet was read."""

    code: str
    end: Literal["head", "tail"]
    by: ReadBy
    looks: int


def fitted(
    plate: Plate, marks: Sequence[ReadMark], tries: Mapping[str, int], how: HowRead, looked_mm: Mapping[str, float]
) -> tuple[Fit, ReadingDocument]:
    """The fit of a sheet's marks, and what the screen shows and the cut needs of it."""
    noise = PHOTO_NOISE_MM if how.by == "photo" else HEAD_NOISE_MM
    fit = fit_marks(marks, plate.summary.tolerance_mm, noise_mm=noise)
    read = [mark for mark in marks if mark.measured is not None]
    nominal, measured = (
        np.array([getattr(mark, name) for mark in read], dtype=float) for name in ("nominal", "measured")
    )
    similar = estimate("similarity", nominal, measured)
    return fit, ReadingDocument(
        code=how.code,
        end=how.end,
        by=how.by,
        looks=how.looks,
        fit=FitFile.of(fit),
        marks=tuple(
            MarkRead(
                id=mark.id,
                nominal=mark.nominal,
                measured=mark.measured,
                tries=tries[mark.id],
                looked_mm=round(looked_mm.get(mark.id, 0.0), 1),
                by_hand=mark.noise_mm is not None and mark.measured is not None,
            )
            for mark in marks
        ),
        moved=moved(fit.transform, nominal, measured),
        mesh=_mesh(fit, similar, plate.summary.plan.to_plan()),
    )


def keep_reading(session: Session, sheet_id: int, cutter_id: int, fit: Fit, note: ReadingDocument) -> None:
    """A sheet is read: its fit is kept with it, and what it says is noted; so is feeding that drifted by more than the
    tolerance."""
    row = session.get_one(Sheet, sheet_id)
    if row.state not in ("loaded", "read") or row.cutter_id != cutter_id:
        lie_on_cutter(session, [sheet_id], cutter_id)  # nobody said that it was laid there: its code did
    row.state, row.reading = SheetState.READ, note
    state: Literal["good", "look", "stop"] = {"go": "good", "check": "look", "stop": "stop"}[fit.verdict]  # type: ignore[assignment]
    noted(
        session,
        sheet_id,
        state,
        f"{row.name}, {fit.load} first: {fit.verdict}, at worst {fit.predicted[2]:.2f} mm expected.",
    )
    if note.drift_mm is not None and note.drift_mm > row.plate.summary.tolerance_mm:
        words = f"{row.name} came back {note.drift_mm:.2f} mm beside where it was when it was fed out."
        noted(session, sheet_id, "look", words)


def look_at(shop: Shop, sheet_id: int, x: float, y: float) -> Window:
    """What the head sees at (x, y) of the cutter, for hands that look for a mark. Raises JobError."""
    sheet = shop.database.within(lambda session: sheet_there(session, sheet_id))
    cutter = shop.database.within(lambda session: cutter_of_sheet(session, sheet_id))
    if sheet.state not in ("loaded", "read"):
        raise JobError("This sheet does not lie on a cutter.", sheet.name, "Load it and read its marks.")
    with shop.by_hand(cutter, f"its head is led to a mark of {sheet.name}") as held, cutter.line(held) as line:
        return cutter.setting.corrected(cutter.head(line), x, y)


def expected_place(sheet: Sheet, mark_id: str) -> tuple[float, float]:
    """Where a mark was read on the cutter; one that was not, where the fit of the others says it lies. Raises
    NotThere."""
    marks = sheet.reading.marks if sheet.reading else ()
    mark = next((one for one in marks if one.id == mark_id), None)
    if mark is None or sheet.reading is None:
        raise NotThere("There is no such mark on this sheet.", mark_id, "Read its marks first.")
    if mark.measured:
        return mark.measured
    x, y = sheet.reading.fit.transform.to_transform()(np.array([mark.nominal]))[0]
    return float(x), float(y)


def point_at_mark(shop: Shop, sheet_id: int, mark_id: str, x: float, y: float) -> None:
    """Take the place (x, y) that hands have pointed at for a mark, and fit anew. A mark that can be made out there is
    read exactly; else the place counts as it is. Raises NotThere, JobError."""
    sheet, plate = shop.database.within(lambda session: (s := sheet_there(session, sheet_id), s.plate))
    expected_place(sheet, mark_id)
    if sheet.state != "read" or sheet.reading is None:
        raise JobError("The marks of this sheet have not been read.", sheet.name, "Press M to read them.")
    recipe = plate.summary.marks
    seen = [(one.x, one.y) for one in find_marks(look_at(shop, sheet_id, x, y), recipe)]
    near = min(seen, key=lambda one: float(np.hypot(one[0] - x, one[1] - y)), default=(x, y))
    made_out = np.hypot(near[0] - x, near[1] - y) <= recipe.size_mm / 2 and bool(seen)
    now = {"measured": near if made_out else (x, y), "by_hand": not made_out}
    held = [one.model_copy(update=now) if one.id == mark_id else one for one in sheet.reading.marks]
    marks = [ReadMark(one.id, one.nominal, one.measured, HAND_NOISE_MM if one.by_hand else None) for one in held]
    how = HowRead(sheet.reading.code, sheet.reading.end, sheet.reading.by, sheet.reading.looks)
    fit, note = fitted(plate, marks, {one.id: one.tries for one in held}, how, {one.id: one.looked_mm for one in held})
    cutter_id = shop.database.within(lambda session: cutter_of_sheet(session, sheet_id).id)
    shop.database.within(lambda session: keep_reading(session, sheet_id, cutter_id, fit, note))


def _where_the_head_waits(shop: Shop, cutter: CutterHere, start: tuple[float, float] | None) -> tuple[float, float]:
    """The operator lays the middle of the sheet's edge at the loading line; without a word, the middle of the sheet
    that was laid."""
    if start:
        return start

    def width(session: Session) -> float:
        lying = select(Sheet).where(Sheet.state.in_(("loaded", "read")), Sheet.cutter_id == cutter.id)
        loaded = session.scalars(lying).first()
        return loaded.plate.summary.plan.width_mm if loaded else USUAL_WIDTH_MM

    return shop.database.within(width) / 2 + HEAD_WAITS_MM[0], HEAD_WAITS_MM[1]


def _recognised(session: Session, seen: SeenCode, cutter: CutterHere) -> tuple[Sheet, Plate]:
    """The sheet and its plate, from the code that was read and nothing else; several prints of one frame carry one
    code, and then the one that was laid on this cutter counts, else the newest that waits."""
    frame = session.scalar(select(Frame).where(Frame.code == seen.code.frame))
    if frame is None:
        raise JobError(
            f"The code {seen.code.frame} is not of this shop.", "code", "Check that the right sheet is loaded."
        )
    of_run = session.scalars(select(Sheet).join(Plate).where(Plate.run_id == frame.run_id).order_by(Sheet.id.desc()))
    sheets = [one for one in of_run if one.plate.summary.code == frame.code and one.state in LAID_OR_CAN_BE]
    if not sheets:
        raise JobError(
            f"No print of the frame {seen.code.frame} is known.", "code", "Check that the right sheet is loaded."
        )
    lies = [one for one in sheets if one.state in ("loaded", "read") and one.cutter_id == cutter.id]
    waits = [one for one in sheets if one.state in ("laminated", "printed")]
    sheet = (lies or waits or sheets)[0]
    return sheet, sheet.plate


def moved(transform: Transform, nominal: np.ndarray, measured: np.ndarray) -> Moved:
    """How the sheet changed, in the words of the trade: from the affine part of the fit and its bend."""
    linear = transform.jacobian(nominal.mean(axis=0)[None, :])[0]
    across, along = linear[:, 0], linear[:, 1]
    turn = np.degrees(np.arctan2(across[1] - along[0], across[0] + along[1]))
    if abs(turn) > 90:
        turn -= 180 * np.sign(turn)
    width, length = np.ptp(nominal, axis=0)
    square = np.degrees(np.arcsin(np.clip(across @ along / (np.linalg.norm(across) * np.linalg.norm(along)), -1, 1)))
    bow = 0.0
    if len(nominal) >= 3:
        straight = estimate("affine", nominal, measured)
        where = grid_inside(nominal)
        difference = np.hypot(*(transform(where) - straight(where)).T)
        bow = float(difference.max())
    return Moved(
        along_percent=round(100 * (float(np.linalg.norm(along)) - 1), 3),
        across_percent=round(100 * (float(np.linalg.norm(across)) - 1), 3),
        turned_deg=round(float(turn), 3),
        out_of_square_mm=round(abs(float(np.tan(np.radians(square)) * min(width, length))), 3),
        bowed_mm=round(bow, 3),
    )


def _mesh(fit: Fit, similar: Transform, plan: FramePlan) -> Mesh:
    """A grid over the marks, by how much each node moved beyond a mere turn, shift and scale: in planned millimetres,
    so that the screen can draw it over the plan as strongly as it likes; and the miss to expect there."""
    marks = np.array([(mark.x, mark.y) for mark in plan.marks])
    low, high = marks.min(axis=0), marks.max(axis=0)
    x, y = np.meshgrid(np.linspace(low[0], high[0], MESH), np.linspace(low[1], high[1], MESH))
    nodes = np.column_stack([x.ravel(), y.ravel()])
    back = similar.inverse(fit.transform(nodes)) - nodes
    miss = fit.expected_miss(nodes)
    return Mesh(
        size=MESH,
        nodes=tuple(map(tuple, np.round(nodes, 3).tolist())),
        moved=tuple(map(tuple, np.round(back, 4).tolist())),
        miss=tuple(np.round(miss, 4).tolist()),
    )
