"""What is shown of label webs."""

from collections.abc import Mapping
from dataclasses import asdict, replace

from shapely.geometry.base import BaseGeometry
from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from etiquette.core.costing.run_costs import Speed, ink_cost, ink_ml
from etiquette.core.errors import JobError
from etiquette.core.geometry.polygons import offset, polygons_of
from etiquette.core.planning.web_feeding import severed
from etiquette.core.planning.web_shapes import Place, cut_of
from etiquette.core.planning.webs import Problem, applicator_problems, cuts, making, sums
from etiquette.files.documents.webs import WebDocument
from etiquette.files.web_file import DieFile, LabelFile, RulesOfMarkFile
from etiquette.people.guarded import hidden
from etiquette.stations import designs, edits
from etiquette.stations.designs import DesignState
from etiquette.stations.rows import printed_count
from etiquette.stations.run import webs
from etiquette.stations.run.web_labels import middle_on, own_cut
from etiquette.stations.run.web_schemas import (
    DesignOfWeb,
    DieOfWeb,
    FinisherOfWeb,
    LabelShown,
    MakingShown,
    Named,
    WebListed,
    WebPartShown,
    WebShown,
)
from etiquette.store.models import Blob, Finisher, KeptDie, LabelWeb, Printer, PrintMode, Stock
from etiquette.store.rows import loaded

WEBS_SHOWN = 60
SHOWN_MM = 0.02
"""The drawing of a shape follows it no finer."""


def webs_listed(session: Session) -> list[WebListed]:
    """The newest first."""
    rows = session.execute(select(LabelWeb.id, LabelWeb.name).order_by(LabelWeb.id.desc()).limit(WEBS_SHOWN)).tuples()
    return [WebListed(id=number, name=name or f"Web {number}") for number, name in rows]


def finishers_shown(session: Session) -> list[FinisherOfWeb]:
    rows = session.scalars(select(Finisher).where(~Finisher.away).order_by(Finisher.name))
    return [FinisherOfWeb(id=row.id, name=row.name, rules=_rules(row)) for row in rows]


def _rules(row: Finisher) -> RulesOfMarkFile:
    values = {name: getattr(row, name) for name in RulesOfMarkFile.model_fields}
    return RulesOfMarkFile.model_validate({name: None if value == [] else value for name, value in values.items()})


def dies_shown(session: Session) -> list[DieOfWeb]:
    rows = session.scalars(select(KeptDie).where(~KeptDie.away).order_by(KeptDie.name))
    return [DieOfWeb(id=row.id, name=row.name, figures=_figures(row)) for row in rows]


def _figures(row: KeptDie) -> DieFile:
    shape = tuple(tuple(point) for point in row.shape)
    label = LabelFile(width_mm=row.label_width_mm, height_mm=row.label_height_mm, corner_mm=row.corner_mm, shape=shape)
    return DieFile(
        label=label,
        columns=row.columns,
        rows=row.rows,
        gap_across_mm=row.gap_across_mm,
        gap_along_mm=row.gap_along_mm,
    )


def web_shown(session: Session, web_id: int) -> WebShown:
    """Raises NotThere."""
    row = webs.web_there(session, web_id)
    document, web = row.document, row.document.to_web()
    states = designs.states_of(session, list(dict.fromkeys(document.designs)))
    undo, redo = edits.history(session, "web", web_id)
    mark, parts = document.to_mark(), webs.parts_of_web(session, web_id)
    sizes = loaded(session, Blob, (part.content_sha for part in parts))
    key = webs.key_of(document, states)
    filled, wrong = _filled(session, document, states)
    shape = cut_of(web.label, (0.0, 0.0, web.across_mm, web.along_mm), web.turn_deg) if web.label.shape else None
    return WebShown(
        id=row.id,
        revision=row.revision,
        document=document,
        undo=undo,
        redo=redo,
        turn_deg=web.turn_deg,
        cut=_ring(shape) if shape else [],
        printed=_ring(offset(shape, web.bleed_mm, SHOWN_MM)) if shape else [],
        labels=[
            LabelShown(
                design_id=document.designs[number % web.columns % len(document.designs)],
                x=x0, y=y0, width=x1 - x0, height=y1 - y0,
            )
            for number, (x0, y0, x1, y1) in enumerate(cuts(web))
        ],
        mark=mark.box if mark else None,
        station=document.to_station_boxes(),
        page_mm=web.length_mm,
        sums=sums(web),
        clearances=document.to_clearances(),
        problems=document.problems() + wrong,
        applicator=applicator_problems(web, document.to_rolls(), document.to_applicator()),
        making=_making(session, document, filled, row.inks),
        filled=filled,
        designs=[_design(state, document) for state in states.values()],
        parts=[WebPartShown(name=part.name, size=sizes[part.content_sha].size) for part in parts],
        fresh=bool(parts) and all(part.key == key for part in parts),
        stocks=[Named(id=number, name=name) for number, name in session.execute(_stocks(document)).tuples()],
        modes=[Named(id=number, name=name) for number, name in session.execute(_modes(document)).tuples()],
        currency=session.scalar(select(Stock.currency).order_by(Stock.id).limit(1)) or "",
    )  # fmt: skip


def _ring(shape: BaseGeometry) -> list[tuple[float, float]]:
    """The outline of a shape, as finely as a screen shows it; of one that falls apart the largest part."""
    return [(round(x, 3), round(y, 3)) for x, y in polygons_of(shape.simplify(SHOWN_MM))[0].exterior.coords[:-1]]


def _filled(session: Session, document: WebDocument, states: Mapping[int, DesignState]) -> tuple[int, list[Problem]]:
    """Labels that have rows of their own, and why the rows that are named cannot be printed."""
    try:
        return sum(printed_count(session, one.document, document.only_rows) for one in states.values()), []
    except JobError as error:
        all_rows = sum(printed_count(session, one.document) for one in states.values())
        return all_rows, [Problem(error.what, document.width_mm / 2, 0.0, error.do)]


def _making(session: Session, document: WebDocument, filled: int, inks: dict[str, float] | None) -> MakingShown:
    """`filled`: labels that have rows of their own, which say how many there are; `inks`: shares of a page."""
    rolls = document.to_rolls()
    made = making(document.to_web(), replace(rolls, count=filled) if filled else rolls)
    m2 = made.length_mm * document.width_mm / 1e6
    stock = session.get(Stock, document.stock_id) if document.stock_id else None
    mode = session.get(PrintMode, document.print_mode_id) if document.print_mode_id else None
    ink = cost = None
    if mode and inks is not None:
        printed = made.repeats * document.to_web().step_mm * document.width_mm / 1e6
        ink = sum(ink_ml(inks, printed, Speed(mode.m2_per_hour, mode.ink_ml_m2)).values())
        cost = ink_cost(ink, session.get_one(Printer, mode.printer_id).ink_price_ml)
    return MakingShown(
        **asdict(made),
        severed=severed(document.to_web(), document.feeding.to_feeding(), made),
        ink_ml=None if ink is None else round(ink, 2),
        ink_cost=hidden(None if cost is None else float(cost)),
        stock_cost=hidden(round(m2 * float(stock.price_m2), 2) if stock else None),
        minutes=round(60 * m2 / mode.m2_per_hour, 1) if mode and mode.m2_per_hour else None,
    )


def _design(state: DesignState, document: WebDocument) -> DesignOfWeb:
    width, height, label = state.document.width_mm, state.height_mm, document.to_web().label
    middle = middle_on(state, label) if width and height else None
    return DesignOfWeb(
        id=state.design.id,
        name=state.document.name,
        width_mm=width,
        height_mm=height,
        middle_mm=middle,
        short=_short(state, document, middle),
    )


def _short(state: DesignState, document: WebDocument, middle: Place | None) -> str:
    """What art lacks for its label and the bleed, in words."""
    width, height, bleed = state.document.width_mm, state.height_mm, document.bleed_mm
    if width is None or height is None or middle is None:
        return "Its size is not known: type its width in Lines."
    if own_cut(state, document.to_web().label):
        return _own_bleed(state, bleed)
    wanted = (document.label.width_mm + 2 * bleed, document.label.height_mm + 2 * bleed)
    sides = zip(middle, wanted, (width, height), strict=True)
    if any(at - far / 2 < -0.01 or at + far / 2 > size + 0.01 for at, far, size in sides):
        size = f"{wanted[0]:.1f} × {wanted[1]:.1f} mm"
        return f"{width:.1f} × {height:.1f} mm, with bleed it should be {size}: its edge is carried outward."
    return ""


def _own_bleed(state: DesignState, asked_mm: float) -> str:
    """What art that is cut on its own line lacks: its bleed is that of Lines."""
    given = state.document.bleed_mm
    if given == 0 or given >= asked_mm:  # with none the colours at its line are carried as far as the web asks
        return ""
    return f"It is cut on its own line, with {given:.1f} mm of bleed: type {asked_mm:.1f} mm in Lines."


def _stocks(document: WebDocument) -> Select[int, str]:
    return select(Stock.id, Stock.name).where(~Stock.away | (Stock.id == document.stock_id)).order_by(Stock.name)


def _modes(document: WebDocument) -> Select[int, str]:
    return select(PrintMode.id, PrintMode.name).where(PrintMode.stock_id == document.stock_id).order_by(PrintMode.name)
