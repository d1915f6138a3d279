"""What is said of layers before a run is sent: whether what is to be seen can be seen."""

from collections.abc import Sequence

from etiquette.core.printing.stack import hidden_in
from etiquette.files.documents.plates import PlateSetDocument
from etiquette.stations.designs import DesignState
from etiquette.stations.runs import RunState
from etiquette.stations.what_lies import Check
from etiquette.store.models import Stock

NEARLY_MM = 1.0
"""Sides whose sizes differ by no more than this are of one size."""


def layer_checks(state: RunState, plates: Sequence[PlateSetDocument]) -> list[Check]:
    """Empty where nothing but colours lies on the stock, and until the plates are made."""
    if not plates or len(plates[0].order) < 2:
        return []
    order = plates[0].order
    checks = [
        Check("look", f"{_named(seen)} cannot be seen: {layer} lies before it. Change the stack of layers")
        for seen, layer in hidden_in(order, plates[0].seen_through)
    ]
    for design in state.designs.values():
        checks += _both_sides(design, state.stock)
    return checks or [Check("good", f"Laid down in this order: {', '.join(order)}")]


def _both_sides(design: DesignState, stock: Stock) -> list[Check]:
    document, other = design.document, design.other
    if document.both_sides is None:
        return []
    name, found = document.name, []
    if stock.ground != "clear":
        found.append(Check("look", f"{stock.name} is not clear: one side of {name} is not seen through it"))
    if not (design.lines and design.lines.white_sha):
        found.append(Check("look", f"No white lies between the two sides of {name}: each shows through the other"))
    if other is not None:
        sizes = zip(_size(design), _size(other), strict=True)
        if any(abs(own - its) > NEARLY_MM for own, its in sizes):
            words = f"{other.document.name}, on the other side of {name}, is of another size: it lies middle on middle"
            found.append(Check("look", words))
    return found


def _size(design: DesignState) -> tuple[float, float]:
    return design.document.width_mm or 0.0, design.height_mm or 0.0


def _named(plate: str) -> str:
    return "The other side" if plate == "other side" else "The colour"
