"""What has to be in the printer's own knife before a run is sent that it cuts."""

from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import KINDS, Kind
from etiquette.core.errors import JobError
from etiquette.files.documents.runs import RunDocument
from etiquette.stations import runs
from etiquette.stations.designs import lines_of
from etiquette.stations.plate_sets import lines_on_sheet
from etiquette.stations.runs import RunState
from etiquette.stations.shop import Shop
from etiquette.stations.tools import cards_for, knife_of, put_in, setting_of
from etiquette.stations.what_lies import Check
from etiquette.store.models import Cutter, Plate, Run


def knife_check(shop: Shop, session: Session, state: RunState) -> Check | None:
    """Whether the tool that the run is cut with is in the knife of its printer; None when that cuts nothing of it."""
    knife = _knife(session, state.document)
    if knife is None:
        return None
    files = [lines_of(shop, design) for design in state.designs.values()]
    kinds = {line.kind for file in files if file for line in file.lines}
    weed = state.document.weed
    if weed.box or weed.lines != "none":
        kinds.add("kiss")
    return _check(session, knife, state.document, kinds)


def refuse_other_tool(shop: Shop, session: Session, plate: Plate) -> None:
    """Raises JobError when the frame would be cut with another tool than it wants: when it is sent, and once more when
    its turn comes, since hands may have changed the tool for another one meanwhile."""
    document = session.get_one(Run, plate.run_id).document
    knife = _knife(session, document)
    if knife is None:
        return
    check = _check(session, knife, document, {line.kind for line in lines_on_sheet(shop, plate).lines})
    if check and check.state == "stop":
        raise JobError(f"{check.words}.", document.name, "Open the run in Print: it is said there what is in it.")


def tool_is_in(shop: Shop, session: Session, run_id: int, tool: str) -> None:
    """Hands have put `tool` into the knife of the printer of a run. Raises NotThere, JobError."""
    state = runs.state_of(shop, session, run_id)
    knife = _knife(session, state.document)
    if knife is None:
        raise JobError("No knife of a printer cuts this run.", state.document.name, "Open it in Print again.")
    put_in(session, knife.id, tool)


def _knife(session: Session, document: RunDocument) -> Cutter | None:
    return knife_of(session, document.printer_id) if document.way in ("both", "cut") else None


def _check(session: Session, knife: Cutter, document: RunDocument, kinds: set[Kind]) -> Check | None:
    cards = cards_for(session, knife.id, document)
    tools = list(dict.fromkeys(cards[kind].tool for kind in KINDS if kind in kinds and cards[kind].tool))
    setting, where = setting_of(knife), f"the {knife.name[0].lower()}{knife.name[1:]}"
    if len(tools) > setting.profile.tools:
        words = f"This run wants the {' and the '.join(tools)}, and {where} holds one"
        return Check("stop", f"{words}: cut it on a cutter, or with one tool for all its lines")
    missing = [tool for tool in tools if setting.wants(tool)]
    if missing:
        held = f", which holds the {knife.holder}" if knife.holder else ""
        return Check("stop", f"Put the {missing[0]} into {where}{held}", tool=missing[0])
    return Check("good", f"The {tools[0]} is in {where}") if tools else None
