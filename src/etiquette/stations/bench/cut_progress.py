"""How far the cut of a sheet is, and the motion for what is left."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy.orm import Session

from etiquette.core.cutting.media import Media
from etiquette.core.cutting.motion import Motion, plan_motion
from etiquette.core.finishing.lines import FinishLine
from etiquette.files.contracts import TransformFile
from etiquette.files.documents.sheets import ProgressDocument
from etiquette.files.lines_svg import read_lines
from etiquette.stations.cut_files import ranks_of
from etiquette.stations.machines import CutterHere
from etiquette.stations.shop import Shop
from etiquette.stations.tools import cards_for
from etiquette.store.models import Plate, Run, Sheet


def progress_of(sheet: Sheet) -> ProgressDocument:
    """How far the cut of a sheet is; at the beginning, nothing."""
    return sheet.progress or ProgressDocument()


def lines_of_sheet(shop: Shop, plate: Plate) -> list[FinishLine]:
    """The lines of a sheet as it was planned, in the order that progress counts them."""
    return read_lines(shop.blobs.read(plate.lines_sha), plate.summary.name).lines


def motion_cards(shop: Shop, plate: Plate, cutter: CutterHere) -> dict[Any, Any]:
    """The tool cards by which a plate is cut."""

    def with_what(session: Session) -> dict[Any, Any]:
        return cards_for(session, cutter.id, session.get_one(Run, plate.run_id).document)

    return shop.database.within(with_what)


def motion_of(
    shop: Shop,
    plate: Plate,
    cutter: CutterHere,
    transform: TransformFile | None,
    numbers: Sequence[int] | None = None,
) -> tuple[Motion, dict[Any, Any]]:
    """The motion for the lines `numbers` (all: None) bent by `transform` (None: as planned), and the tool cards."""
    lines = lines_of_sheet(shop, plate)
    ranks = ranks_of(shop, plate, lines)
    chosen = list(range(len(lines))) if numbers is None else list(numbers)
    cards = motion_cards(shop, plate, cutter)
    carry = transform.to_transform() if transform else (lambda points: points)
    setting, media = cutter.setting, Media(plate.summary.plan.width_mm, cutter.setting.rollers)
    motion = plan_motion(
        [lines[number] for number in chosen],
        setting.profile,
        cards,
        carry,
        media=media,
        ranks=None if ranks is None else [ranks[number] for number in chosen],
    )
    strokes = tuple(replace(stroke, line=chosen[stroke.line]) for stroke in motion.strokes)
    return replace(motion, strokes=strokes), cards


def wanted_lines(lines: Sequence[FinishLine], progress: ProgressDocument, kinds: Sequence[str] | None) -> list[int]:
    """Numbers of the lines that are still to be cut, of the pieces and kinds asked for."""
    pieces = None if progress.wanted is None else set(progress.wanted)
    return [
        number
        for number, line in enumerate(lines)
        if number not in set(progress.done)
        and (pieces is None or line.piece in pieces)
        and (kinds is None or line.kind in kinds)
    ]
