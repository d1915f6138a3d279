"""What Print shows of plates and sheets."""

from dataclasses import asdict

from sqlalchemy import select
from sqlalchemy.orm import Session, defer

from etiquette.people.guarded import hidden
from etiquette.stations import plate_sets, runs, sheets
from etiquette.stations.machines import printer_here
from etiquette.stations.print import queue
from etiquette.stations.print.loading import modes_of
from etiquette.stations.print.preflight import costs_in, costs_of
from etiquette.stations.print.schemas import (
    ModeShown,
    PlateShown,
    PrintSettings,
    PrintShown,
    QueuedShown,
    ReadyShown,
)
from etiquette.stations.print.strips import strips_shown
from etiquette.stations.schemas import SheetShown
from etiquette.stations.shop import Shop
from etiquette.stations.views import each_readable, run_listed, sheet_shown
from etiquette.store.models import Plate as PlateSet
from etiquette.store.models import Printer, PrintMode, Roll, Run, Stock
from etiquette.store.rows import loaded


def sheets_listed(session: Session) -> list[SheetShown]:
    rows = sheets.all_sheets(session)
    # held while the list is made: each sheet then finds its run, stock and print mode without asking for them
    wanted = select(Run).where(Run.id.in_({row.plate.run_id for row in rows}))
    of_rows = session.scalars(wanted.options(defer(Run.document_json), defer(Run.offer))).all()
    stocks = loaded(session, Stock, (run.stock_id for run in of_rows))
    modes = loaded(session, PrintMode, (run.print_mode_id for run in of_rows))
    rolls = loaded(session, Roll, [*(run.roll_id for run in of_rows), *(row.roll_id for row in rows)])
    listed = each_readable(lambda sheet: sheet_shown(session, sheet), rows)
    del of_rows, stocks, modes, rolls
    return listed


def ready_shown(shop: Shop, session: Session, run_id: int) -> list[ReadyShown]:
    """Runs that are laid out for the printer of this one and of which nothing was sent yet, those on its stock first.
    Raises NotThere."""
    here = runs.state_of(shop, session, run_id)
    found = []
    for run in queue.not_sent(session, here.document.printer_id, run_id):
        state = runs.state_of(shop, session, run.id)
        if state.plans and state.fresh:
            ready = ReadyShown(
                run=run_listed(run),
                revision=run.revision,
                stock_name=state.stock.name,
                same_stock=state.stock.id == here.stock.id,
                frames=len(state.plans),
                length_mm=sum(plan.takes_mm for plan in state.plans),
                plated=bool(plate_sets.plates_of(session, state)),
            )
            found.append(ready)
    return sorted(found, key=lambda one: not one.same_stock)


def _queue_shown(session: Session, printer: Printer | None) -> list[QueuedShown]:
    if printer is None:
        return []
    return [
        QueuedShown(
            task_id=one.task_id,
            sheet=one.sheet.name,
            run_id=one.sheet.plate.run_id,
            run_name=one.sheet.plate.summary.name,
            waits=one.waits,
        )
        for one in queue.queue_of(session, printer_here(printer).key)
    ]


def plate_shown(plate: PlateSet) -> PlateShown:
    summary = plate.summary
    return PlateShown(
        id=plate.id,
        bytes=summary.bytes,
        preview_dpi=summary.preview_dpi,
        width_mm=summary.plan.width_mm,
        length_mm=summary.plan.length_mm,
        pieces=summary.pieces,
        order=list(summary.order),
        looks={name: list(look) for name, look in summary.looks.items()},
        seen_through=summary.seen_through,
        inks=summary.inks,
        mode=summary.mode,
        profile=summary.colour.profile if summary.colour else None,
        colours=summary.colour.intent if summary.colour else None,
        frame=summary.frame,
        code=summary.code,
        bed=summary.plan.lies.bed if summary.plan.lies else None,
    )


def _mode_shown(state: runs.RunState, plates: list[PlateSet], mode: PrintMode) -> ModeShown:
    area = state.stock.width_mm * state.figures.length_mm / 1e6 if state.figures else None
    return ModeShown(
        id=mode.id,
        name=mode.name,
        minutes=area / mode.m2_per_hour * 60 if area is not None else None,
        drying_minutes=mode.drying_minutes,
        costs=hidden(costs_in(state, plates, mode)),
    )


def print_shown(shop: Shop, session: Session, run_id: int) -> PrintShown:
    """Raises NotThere."""
    state = runs.state_of(shop, session, run_id)
    printed = sheets.sheets_of(session, run_id)
    figures = state.figures
    plates = plate_sets.plates_of(session, state)
    costs = costs_of(session, state, plates)
    document = state.document
    return PrintShown(
        run=run_listed(state.run),
        nested=bool(state.plans),
        trouble=f"{state.trouble.what} {state.trouble.do}" if state.trouble else None,
        stock_name=state.stock.name,
        roll_name=state.roll.name,
        roll_left_mm=state.roll.remaining_mm,
        length_mm=figures.length_mm if figures else None,
        stock_cost=hidden(figures.stock_cost if figures else None),
        currency=state.stock.currency,
        costs=hidden(costs),
        settings=PrintSettings(
            revision=state.run.revision,
            print_mode_id=document.print_mode_id,
            files=document.files,
            standard=document.standard,
            strip=document.strip,
            half_turn=document.half_turn,
            way=document.way,
            sever=document.sever,
            stack=document.stack,
            **asdict(document.correction()),
        ),
        modes=[_mode_shown(state, plates, one) for one in modes_of(session, document)],
        can_sever=bool(state.kit.printer and state.kit.printer.severs),
        can_cut=bool(state.kit.printer and state.kit.printer.has_knife),
        plates=[plate_shown(plate) for plate in plates],
        printer=state.kit.printer.name if state.kit.printer else "",
        film_simulated=bool(state.kit.laminator and state.kit.laminator.simulated),
        sheets=[sheet_shown(session, sheet) for sheet in printed],
        strips=strips_shown(session, printed),
        queue=_queue_shown(session, state.kit.printer),
    )
