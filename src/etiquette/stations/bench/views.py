"""What the Bench shows of a sheet: its pieces and how each is doing, the tools in their order, how long it takes."""

from dataclasses import dataclass

import numpy as np
import shapely
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.motion import KIND_ORDER
from etiquette.core.geometry.paths import Points, path_length
from etiquette.stations import cut_files
from etiquette.stations.bench.cut_progress import lines_of_sheet, progress_of, wanted_lines
from etiquette.stations.bench.mark_reading import HEAD_WAITS_MM
from etiquette.stations.bench.pointing import next_mark
from etiquette.stations.bench.rollers import rollers_shown
from etiquette.stations.bench.schemas import BenchShown, FileForm, PieceOnSheet, PointingShown, State, ToolStep
from etiquette.stations.machines import cutter_of_sheet
from etiquette.stations.sheets import sheet_there
from etiquette.stations.shop import Shop
from etiquette.stations.tools import cards_for
from etiquette.stations.views import plan_shown, sheet_shown
from etiquette.store.models import Design, Plate, Run, Sheet

OUTLINE_MM = 0.4
"""How coarsely outlines are sent: they are for pointing at pieces."""


@dataclass(frozen=True)
class _Drawn:
    """Of the lines of a plate: kind, piece and length of each, and the outline of every piece."""

    kinds: tuple[Kind, ...]
    pieces: tuple[int | None, ...]
    lengths: tuple[float, ...]
    outlines: dict[int, Points]


_HELD: dict[str, _Drawn] = {}
MOST_HELD = 32


def drawn(shop: Shop, plate: Plate) -> _Drawn:
    """Lines never change under one hash, so what is made of the latest is kept."""
    if plate.lines_sha not in _HELD:
        lines = lines_of_sheet(shop, plate)
        rings: dict[int, list[Points]] = {}
        for line in lines:
            if line.piece is not None:
                rings.setdefault(line.piece, []).append(line.path.flatten(OUTLINE_MM))
        outlines = {piece: _outline(shapes) for piece, shapes in rings.items()}
        kinds, pieces = tuple(line.kind for line in lines), tuple(line.piece for line in lines)
        while len(_HELD) >= MOST_HELD:
            _HELD.pop(next(iter(_HELD)), None)
        _HELD[plate.lines_sha] = _Drawn(kinds, pieces, tuple(path_length(line.path) for line in lines), outlines)
    return _HELD[plate.lines_sha]


def _outline(shapes: list[Points]) -> Points:
    """The largest ring of a piece, or the hull of its lines when none encloses anything."""
    areas = [shapely.Polygon(shape).area if len(shape) > 3 else 0.0 for shape in shapes]
    largest = shapes[int(np.argmax(areas))]
    if max(areas) < 1.0:
        hull = shapely.MultiPoint(np.vstack(shapes)).convex_hull.buffer(1.0)
        return np.asarray(hull.exterior.coords)
    return np.asarray(shapely.simplify(shapely.LineString(largest), OUTLINE_MM).coords)


def pieces_of_sheet(shop: Shop, session: Session, sheet: Sheet) -> list[PieceOnSheet]:
    """Every piece of the sheet; plates of former versions name none."""
    held, progress = drawn(shop, sheet.plate), progress_of(sheet)
    done = set(progress.done) if sheet.state != "cut" else set(range(len(held.kinds)))
    placed = sheet.plate.summary.placed
    rows = sheet.plate.summary.rows or (0,) * len(placed)
    names = {design: session.get_one(Design, design).document.name for design in set(placed)}
    left = {piece for number, piece in enumerate(held.pieces) if number not in done}
    doubtful = {held.pieces[number] for number in progress.doubtful}

    def state(piece: int) -> State:
        if piece in progress.spoiled:
            return "spoiled"
        return "doubtful" if piece in doubtful else "due" if piece in left else "cut"

    return [
        PieceOnSheet(
            piece,
            names[placed[piece - 1]],
            [(x, y) for x, y in outline.round(2).tolist()],
            state(piece),
            rows[piece - 1],
        )
        for piece, outline in sorted(held.outlines.items())
        if piece <= len(placed)
    ]


def tools_of_sheet(shop: Shop, session: Session, sheet: Sheet) -> list[ToolStep]:
    """The tools in the order in which they work; times are of the lines alone."""
    held, progress = drawn(shop, sheet.plate), progress_of(sheet)
    document = session.get_one(Run, sheet.plate.run_id).document
    cutter = cutter_of_sheet(session, sheet.id)
    cards, profile = cards_for(session, cutter.id, document), cutter.setting.profile
    steps: list[ToolStep] = []
    tools: list[str] = []
    done = set(progress.done)
    for kind in KIND_ORDER:
        numbers = [number for number, one in enumerate(held.kinds) if one == kind]
        if not numbers:
            continue
        card = cards[kind]
        length = sum(held.lengths[number] for number in numbers)
        seconds = card.passes * (length / card.speed_mm_s + len(numbers) * profile.lift_seconds)
        change = bool(tools) and card.tool not in tools[-profile.tools :]
        if card.tool not in tools:
            tools.append(card.tool)
        cut = len(numbers) if sheet.state == "cut" else len(done & set(numbers))
        held_by_job = kind in document.tools
        steps.append(
            ToolStep(
                kind, card.tool, card.force_gf, card.speed_mm_s, card.passes, card.tie_mm, held_by_job,
                len(numbers), cut, seconds, change,
            )
        )  # fmt: skip
    return steps


def _pointing(sheet: Sheet) -> PointingShown:
    total, taken = len(sheet.plate.summary.plan.marks), len(sheet.pointed.marks) if sheet.pointed else 0
    following = next_mark(sheet)
    if following is None:
        return PointingShown(taken=taken, total=total, next=None, x=0.0, y=0.0)
    mark, (x, y) = following
    return PointingShown(taken=taken, total=total, next=mark, x=x, y=y)


def bench_shown(shop: Shop, session: Session, sheet_id: int) -> BenchShown:
    """Raises NotThere."""
    sheet = sheet_there(session, sheet_id)
    summary, progress = sheet.plate.summary, progress_of(sheet)
    cutter = cutter_of_sheet(session, sheet_id)
    return BenchShown(
        sheet=sheet_shown(session, sheet),
        plan=plan_shown(summary.plan.to_plan(), summary.marks),
        pieces=pieces_of_sheet(shop, session, sheet),
        tools=tools_of_sheet(shop, session, sheet),
        doubtful=len(progress.doubtful),
        left=len(wanted_lines(lines_of_sheet(shop, sheet.plate), progress, None)),
        waits_for=progress.waits_for,
        head_waits=(summary.plan.width_mm / 2 + HEAD_WAITS_MM[0], HEAD_WAITS_MM[1]),
        size_percent=sheet.reading.size_percent if sheet.reading else None,
        tolerance_mm=summary.tolerance_mm,
        preview=f"/api/plates/{sheet.plate_id}/preview",
        reading=sheet.reading,
        report=sheet.report,
        cutter=cutter.name,
        simulated=cutter.simulated,
        has_eye=bool(cutter.eye),
        has_camera=bool(cutter.table_eye),
        pointing=None if cutter.eye or sheet.state not in ("loaded", "read") else _pointing(sheet),
        rollers=rollers_shown(session, sheet, cutter),
        file_forms=[FileForm(name=name, words=form.words) for name, form in cut_files.FORMS.items()],
    )
