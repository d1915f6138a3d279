"""What a job will cost, for several counts side by side: from its run where it has one of its own, else from the boxes
of its designs on the stock it is to be printed on."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import lru_cache
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.costing.art_ink import ink_share
from etiquette.core.costing.quotes import HandStep, Materials, Quote, Work, frames_of, quote
from etiquette.core.cutting.profiles import ToolCard
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import path_length
from etiquette.core.marking.frame_plans import FramePlan
from etiquette.core.planning.sharing import Boxes, rows_mm
from etiquette.files.documents.runs import RunDocument, RunItem
from etiquette.files.lines_svg import read_lines
from etiquette.stations import runs
from etiquette.stations.designs import DesignState, areas_of, plate_areas_of, states_of
from etiquette.stations.floor.jobs import job_there
from etiquette.stations.kits import Kit, kit_of, room_mm
from etiquette.stations.prices import prices_of
from etiquette.stations.run_edits import first_document
from etiquette.stations.shop import Shop
from etiquette.stations.tools import cards_of
from etiquette.store.models import Job, Roll, Stock
from etiquette.store.models import RunItem as RunItemRow

MOST_RUNS = 6
LOOKED_AT = 8192
"""Pictures and lines whose ink and lengths are kept in mind."""
NAMED = 3
"""Designs that a sentence names."""
GAP_MM = 2.0
"""Between boxes, where nothing is laid out yet (that of a new run)."""
LIFTS_A_LINE = 1.0
"""Seconds that a cutter takes to come to a line and to lower the tool, about (a value of our own)."""


@dataclass(frozen=True)
class JobQuote:
    """`quotes`: one for each multiple of what is due; `lacks`: what is not in it, in sentences; `by_run`: its length is
    that of a layout, not of boxes."""

    job: Job
    currency: str
    stock: str
    times: tuple[float, ...]
    quotes: tuple[Quote, ...]
    lacks: tuple[str, ...]
    by_run: bool


@dataclass(frozen=True)
class _Ground:
    """What one making of the job rests on."""

    kit: Kit
    room_mm: tuple[float, float]
    ends_mm: float
    boxes: Mapping[int, Boxes]
    """One piece of each design."""
    ink_ml: Mapping[int, float]
    cut_seconds: Mapping[int, float]
    fill: float
    """How much of the length of rows of boxes its layout takes."""


def quote_job(shop: Shop, session: Session, job_id: int, times: Sequence[float]) -> JobQuote:
    """Raises NotThere, and JobError when there is nothing to work it out from."""
    job = job_there(session, job_id)
    designs = states_of(session, [design.id for design in job.designs if design.due_count != 0])
    sized = {number: one for number, one in designs.items() if one.document.width_mm and one.height_mm}
    if not sized:
        raise JobError(f"The size of no design of {job.name} is known.", job.name, "Type a width in Lines first.")
    own = _own_run(shop, session, sized)
    document, plans = own if own else (_begun(session, job, sized), ())
    ground = _ground(shop, session, sized, document, plans)
    kit, prices = ground.kit, prices_of(session)
    lacks = []
    if sizeless := [one.document.name for number, one in designs.items() if number not in sized]:
        lacks.append(f"The size of {_some(sizeless)} is not known: it is not in this quote.")
    if lineless := [one.document.name for one in sized.values() if one.lines is None]:
        lacks.append(f"No line of {_some(lineless)} has been found yet: cutting it is not in this quote.")
    if kit.mode is None:
        lacks.append(f"There is no print mode on {kit.stock.name}: ink and printing time are not in it.")
    if not (prices.hour_hands or prices.hour_printer or prices.hour_cutter):
        lacks.append("The shop's prices are not set (Shelf): hours of machines and hands cost nothing here.")
    film = kit.laminator.film_price_m2 if kit.laminator and kit.stock.takes_film and not kit.stays else Decimal(0)
    materials = Materials(kit.stock.price_m2, film, kit.printer.ink_price_ml if kit.printer else Decimal(0))
    steps = [HandStep(**one) for one in job.hand_steps or ()]
    counts = {number: one.document.due_count for number, one in sized.items()}
    made = [quote(_work(ground, counts, by, bool(film)), materials, prices, steps) for by in times]
    return JobQuote(job, kit.stock.currency, kit.stock.name, tuple(times), tuple(made), tuple(lacks), own is not None)


def _some(names: Sequence[str]) -> str:
    """The first few by name."""
    if len(names) <= NAMED:
        return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)
    return f"{', '.join(names[:NAMED])} and {len(names) - NAMED} more"


def _own_run(
    shop: Shop, session: Session, designs: Mapping[int, DesignState]
) -> tuple[RunDocument, tuple[FramePlan, ...]] | None:
    """The newest run of these designs and no others that is laid out on a roll, with its frames."""
    with_it = select(RunItemRow.run_id).where(RunItemRow.design_id.in_(designs)).distinct()
    for number in session.scalars(with_it.order_by(RunItemRow.run_id.desc()).limit(MOST_RUNS)):
        state = runs.state_of(shop, session, number)
        if state.plans and set(state.designs) == set(designs) and state.document.sheet_mm is None:
            return state.document, state.plans
    return None


def _begun(session: Session, job: Job, designs: Mapping[int, DesignState]) -> RunDocument:
    """A run of the job as it would be begun. Raises JobError when there is no roll."""
    there = select(Roll).join(Stock).where(~Roll.away, ~Stock.away)
    ordered = there.order_by((Roll.stock_id == job.stock_id).desc(), Roll.remaining_mm.desc())
    roll = session.scalar(ordered.limit(1))
    if roll is None:
        raise JobError("There is no roll yet.", "Shelf", "Put a stock and a roll of it on the Shelf first.")
    items = [RunItem(design_id=number, count=min(one.document.due_count, 10_000)) for number, one in designs.items()]
    return first_document(session, roll, job.name, items)


def _ground(
    shop: Shop, session: Session, designs: Mapping[int, DesignState], document: RunDocument, plans: Sequence[FramePlan]
) -> _Ground:
    """`plans`: the frames of a run that is laid out; without any it is worked out from boxes and the mark set."""
    kit = kit_of(session, document)
    recipe = kit.recipe
    marks = 0.0 if recipe.count == "none" else 2 * (recipe.size_mm + recipe.clear_mm)
    boxes = {number: Boxes(*_box(one), 1) for number, one in designs.items()}
    profile = shop.blobs.read(kit.profile.content_sha) if kit.profile and kit.profile.space == "CMYK" else None
    cards = cards_of(session, kit.cutter.id, kit.stock.id) if kit.cutter else {}
    ends, fill, room = recipe.head_margin_mm + recipe.tail_margin_mm + marks, 1.0, room_mm(document, kit)
    if plans and document.layout is not None:
        laid = [replace(boxes[item.design_id], count=item.count) for item in document.items]
        flat, work = rows_mm(laid, room[0], GAP_MM), document.layout.length_mm
        fill = work / flat if flat else 1.0
        ends = (sum(plan.takes_mm for plan in plans) - work) / len(plans)
    return _Ground(
        kit,
        room,
        ends,
        boxes,
        {number: _ink_ml(shop, kit, one, profile) for number, one in designs.items()},
        {number: _cut_seconds(shop, kit, cards, one) for number, one in designs.items()},
        fill,
    )


def _box(design: DesignState) -> tuple[float, float]:
    return design.document.width_mm or 0.0, design.height_mm or 0.0


def _ink_ml(shop: Shop, kit: Kit, design: DesignState, profile: bytes | None) -> float:
    """Of one piece, about: its colours, and white and clear where they lie."""
    if kit.mode is None:
        return 0.0
    share = _share(shop.blobs.path(design.art.thumb_sha), profile)
    width, height = _box(design)
    spots = sum(area.area for areas in areas_of(shop, design).values() for area in areas)
    if design.document.both_sides:  # colours once more, white once more
        share, spots = 2 * share, spots + sum(area.area for area in plate_areas_of(shop, design, "white"))
    return float((share * width * height + spots) / 1e6 * kit.mode.ink_ml_m2)


@lru_cache(maxsize=LOOKED_AT)
def _share(picture: Path, profile: bytes | None) -> float:
    """A picture of the store never changes, and a job is looked at often."""
    return ink_share(picture.read_bytes(), profile)


def _cut_seconds(shop: Shop, kit: Kit, cards: Mapping[Kind, ToolCard], design: DesignState) -> float:
    """Of one piece, about: along its lines at the speed of their tools, and to each of them."""
    if kit.cutter is None or design.lines is None:
        return 0.0
    whole = 0.0
    for kind, length, count in _lengths(shop.blobs.path(design.lines.lines_sha)):
        speed = cards[kind].speed_mm_s if kind in cards else kit.cutter.speed_mm_s
        whole += length / speed + LIFTS_A_LINE * count
    return whole


@lru_cache(maxsize=LOOKED_AT)
def _lengths(lines: Path) -> tuple[tuple[Kind, float, int], ...]:
    """Of each kind of the lines in a file of the store: millimetres, and how many."""
    found: dict[Kind, tuple[float, int]] = {}
    for line in read_lines(lines.read_bytes(), lines.name).lines:
        length, count = found.get(line.kind, (0.0, 0))
        found[line.kind] = (length + path_length(line.path), count + 1)
    return tuple((kind, *both) for kind, both in found.items())


def _work(ground: _Ground, counts: Mapping[int, int], times: float, film: bool) -> Work:
    """Raises JobError when a piece is wider than the room."""
    wanted = {number: max(1, round(count * times)) for number, count in counts.items()}
    wide, longest = ground.room_mm
    for box in ground.boxes.values():
        if min(box.width, box.height) > wide:
            what = f"A piece is {min(box.width, box.height):.0f} mm wide; between the marks are {wide:.0f} mm."
            raise JobError(what, ground.kit.stock.name, "Choose a wider stock for this job.")
    laid = rows_mm([replace(ground.boxes[number], count=count) for number, count in wanted.items()], wide, GAP_MM)
    frames, length = frames_of(laid * ground.fill, longest, ground.ends_mm)
    area = length * ground.kit.stock.width_mm / 1e6
    mode = ground.kit.mode
    return Work(
        pieces=sum(wanted.values()),
        stock_m2=area,
        film_m2=area if film else 0.0,
        ink_ml=sum(ground.ink_ml[number] * count for number, count in wanted.items()),
        print_minutes=area / mode.m2_per_hour * 60 if mode else 0.0,
        cut_minutes=sum(ground.cut_seconds[number] * count for number, count in wanted.items()) / 60,
        frames=frames,
    )
