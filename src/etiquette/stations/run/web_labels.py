"""The label of a web and the design that lies on it: what it is cut to, and where the art lies."""

from dataclasses import asdict

import shapely
from shapely import Polygon

from etiquette.core.errors import JobError
from etiquette.core.finishing.piece_outlines import one_outline
from etiquette.core.planning.web_shapes import FINE_MM, Place, as_large, label_like, middle_of
from etiquette.core.planning.webs import Label
from etiquette.files.web_file import LabelFile
from etiquette.stations import designs
from etiquette.stations.designs import DesignState
from etiquette.stations.shop import Shop


def label_for(shop: Shop, state: DesignState) -> LabelFile:
    """A label that is cut as the design's own line goes; as large as its art where it has none that goes round all of
    it. Raises JobError when its size is not known."""
    return _label(_own(shop, state) or designs.rectangle_of(state))


def own_label(shop: Shop, state: DesignState) -> LabelFile:
    """A label that is cut as the design's own line goes. Raises JobError where it has none that goes round all of
    it."""
    own = _own(shop, state)
    if own is None:
        name = state.document.name
        raise JobError(
            f"{name} has no line that goes round all of it.", name, "Find its line in Lines, then press again."
        )
    return _label(own)


def _own(shop: Shop, state: DesignState) -> Polygon | None:
    file = designs.lines_of(shop, state)
    return one_outline(file.lines, FINE_MM) if file else None


def _label(outline: Polygon) -> LabelFile:
    return LabelFile(**asdict(label_like(outline)))


def middle_on(state: DesignState, label: Label) -> Place:
    """Where on the art the middle of the label lies. Raises JobError when its size is not known."""
    _, _, width, height = designs.rectangle_of(state).bounds
    own = own_cut(state, label)
    return middle_of(own) if own else (width / 2, height / 2)


def own_cut(state: DesignState, label: Label) -> Polygon | None:
    """The design's own cut, where the label is as large as that."""
    held = state.lines.outline if state.lines else None
    own: Polygon | None = shapely.from_wkb(held) if held else None
    return own if own and as_large(label, own) else None


def reaches_its_line(state: DesignState) -> bool:
    """Whether the art goes on to its own line anywhere: else an unprinted border lies between."""
    found = state.lines.summary.bleed if state.lines else None
    return found is not None and bool(found.stretches)
