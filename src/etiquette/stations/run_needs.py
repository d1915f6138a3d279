"""What a run needs of its machines, and what of it they cannot do: told while it is planned, and before it is sent."""

from etiquette.core.printing.stack import AGAIN, PLATES, Goes, usual_stack
from etiquette.stations.runs import RunState


def needed_plates(state: RunState) -> tuple[str, ...]:
    """The plates of a run in the order in which they are laid down, as far as its designs have lines."""
    needed = {"colour"}
    specials: dict[str, Goes] = {}
    if state.stock.primer:
        needed.add("primer")
    if state.stock.ground != "white":  # patches under marks and codes
        needed.add("white")
    for design in state.designs.values():
        if design.lines and design.lines.white_sha:
            needed.add("white")
        if design.lines and design.lines.clear_sha:
            needed.add("height" if design.document.clear_raised else "clear")
        if design.document.braille:
            needed.add("braille")
        if sides := design.document.both_sides:
            needed |= {
                "other side",
                *(["white", AGAIN] if "white" in needed else []),
                *(["blocker"] if sides.blocker else []),
            }
        specials |= {ink.name: ink.goes for ink in design.specials if design.lines and design.lines.specials_sha}
    return usual_stack(needed | set(specials), _seen_through(state), specials)


def beyond_the_machines(state: RunState) -> list[str]:
    """Sentences, empty when the machines of the run can do all of it."""
    return [*_beyond_printer(state), *_beyond_cutter(state)]


def _beyond_printer(state: RunState) -> list[str]:
    printer = state.kit.printer
    if printer is None:
        return []
    needed = needed_plates(state)
    layered = ("other side", AGAIN)  # colours and white that every printer of white lays down, one on the other
    known = [plate for plate in needed if plate in PLATES and plate not in layered]
    missing = [plate for plate in known if plate not in printer.plates]
    if missing:
        lays = " and no ".join(missing)
        return [f"{printer.name} lays down no {lays}, which this run needs: choose another printer, or leave it out."]
    held_by = {name: held for design in state.designs.values() for name, held in design.held_by.items()}
    for name in needed:
        if held_by.get(name) not in (None, printer.id):
            return [f"{printer.name} holds no {name}: choose the printer that has it."]
    if AGAIN in needed and printer.white_goes != "either":
        return [
            f"{printer.name} lays white only {printer.white_goes} the colour; this run needs it on both sides of it."
        ]
    if "white" in needed and printer.white_goes != "either":
        goes = "over" if _seen_through(state) else "under"
        if printer.white_goes != goes:
            return [f"{printer.name} lays white only {printer.white_goes} the colour; this run needs it {goes} it."]
    return []


def _beyond_cutter(state: RunState) -> list[str]:
    cutter, marks = state.kit.cutter, state.kit.mark_set
    if cutter is None or marks is None or state.kit.stays or reads(cutter.mark_shapes, marks.shape):
        return []
    read = ", ".join(cutter.mark_shapes)
    return [f"{cutter.name} reads no marks like {marks.name}: it reads {read}. Choose other marks, or another cutter."]


def reads(shapes: list[str], shape: str) -> bool:
    """Whether a cutter that names these shapes reads a mark of `shape`; one that names none reads any."""
    return not shapes or shape in shapes


def _seen_through(state: RunState) -> bool:
    return any(design.document.second_surface for design in state.designs.values())
