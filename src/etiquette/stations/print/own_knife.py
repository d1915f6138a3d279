"""What has to be in the printer's own knife before a run is sent that it cuts."""

from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import KINDS
from etiquette.core.errors import JobError
from etiquette.stations import runs
from etiquette.stations.designs import lines_of
from etiquette.stations.runs import RunState
from etiquette.stations.shop import Shop
from etiquette.stations.tools import cards_for, knife_of, put_in, setting_of
from etiquette.stations.what_lies import Check
from etiquette.store.models import Cutter


def knife_check(shop: Shop, session: Session, state: RunState) -> Check | None:
    """Whether the tool that the run is cut with is in the knife of its printer; None when that cuts nothing of it."""
    knife = _knife(session, state)
    if knife is None:
        return None
    tools = _tools(shop, session, state, knife)
    setting, where = setting_of(knife), f"the {knife.name[0].lower()}{knife.name[1:]}"
    if len(tools) > setting.profile.tools:
        words = f"This run wants the {' and the '.join(tools)}, and {where} holds one"
        return Check("stop", f"{words}: cut it on a cutter, or with one tool for all its lines")
    missing = [tool for tool in tools if setting.wants(tool)]
    if missing:
        held = f", which holds the {knife.holder}" if knife.holder else ""
        return Check("stop", f"Put the {missing[0]} into {where}{held}", tool=missing[0])
    return Check("good", f"The {tools[0]} is in {where}") if tools else None


def refuse_other_tool(shop: Shop, session: Session, state: RunState) -> None:
    """Raises JobError when the run would be cut with another tool than it wants."""
    check = knife_check(shop, session, state)
    if check and check.state == "stop":
        raise JobError(f"{check.words}.", state.document.name, "Open the run in Print: it is said there what is in it.")


def tool_is_in(shop: Shop, session: Session, run_id: int, tool: str) -> None:
    """Hands have put `tool` into the knife of the printer of a run. Raises NotThere, JobError."""
    state = runs.state_of(shop, session, run_id)
    knife = _knife(session, state)
    if knife is None:
        raise JobError("No knife of a printer cuts this run.", state.document.name, "Open it in Print again.")
    put_in(session, knife.id, tool)


def _knife(session: Session, state: RunState) -> Cutter | None:
    cuts = state.document.way in ("both", "cut")
    return knife_of(session, state.document.printer_id) if cuts else None


def _tools(shop: Shop, session: Session, state: RunState, knife: Cutter) -> list[str]:
    """The tools that the lines of a run want, each once."""
    files = [lines_of(shop, design) for design in state.designs.values()]
    kinds = {line.kind for file in files if file for line in file.lines}
    weed = state.document.weed
    if weed.box or weed.lines != "none":
        kinds.add("kiss")
    cards = cards_for(session, knife.id, state.document)
    return list(dict.fromkeys(cards[kind].tool for kind in KINDS if kind in kinds and cards[kind].tool))
