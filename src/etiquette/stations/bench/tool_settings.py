"""Settings of a tool for one job alone: the Shelf's card stays as it is."""

from dataclasses import replace

from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.devices import holds
from etiquette.files.documents.runs import ToolForJob
from etiquette.stations import edits
from etiquette.stations.machines import cutter_of_sheet
from etiquette.stations.sheet_log import noted
from etiquette.stations.sheets import sheet_there
from etiquette.stations.tools import cards_of
from etiquette.store.models import Run


def set_for_job(session: Session, sheet_id: int, kind: Kind, told: ToolForJob | None) -> None:
    """What the tool for `kind` does on the run of a sheet, from its next cut on; None: as on the Shelf again. One edit
    of the run. Raises NotThere, JobError, holds.Busy while the cutter is at work."""
    sheet = sheet_there(session, sheet_id)
    cutter = cutter_of_sheet(session, sheet_id)
    holds.refuse_busy(session, cutter.key)
    run = session.get_one(Run, sheet.plate.run_id)
    card = cards_of(session, cutter.id, run.document.stock_id)[kind]
    changes = {} if told is None else told.model_dump(exclude_none=True)
    changed = replace(card, **changes)  # refused here when no card may say so
    other = {name: value for name, value in changes.items() if value != getattr(card, name)}
    tools = {**run.document.tools}
    tools.pop(kind, None)
    if other:
        tools[kind] = ToolForJob(**other)
    written = {one: setting.model_dump() for one, setting in tools.items()}
    words = f"{kind} with {changed.force_gf:g} gf for this run alone" if other else f"{kind} as on the Shelf"
    edits.apply(session, "run", run.id, None, words, {"tools": written})
    noted(session, sheet_id, "look", f"{run.document.name}: {words}.")
