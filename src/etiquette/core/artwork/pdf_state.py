"""The graphics state of a PDF content stream: matrices, colours, layers (ISO 32000-1: 8.3, 8.4, 8.6, 8.11, 14.6)."""

from dataclasses import dataclass, replace
from typing import Any

import pikepdf
from pikepdf import Name
from shapely.geometry.base import BaseGeometry

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.line_rules import step_kind
from etiquette.core.artwork.vectors import Cap, Ink, Join, Seen
from etiquette.core.geometry.matrices import Matrix, is_even, times

CAPS: tuple[Cap, ...] = ("butt", "round", "square")
JOINS: tuple[Join, ...] = ("mitre", "round", "bevel")
DEEPEST_GROUPS = 200


@dataclass(frozen=True)
class Space:
    """A colour space as far as it matters here: how many numbers, how they become RGB, and the spots it names."""

    kind: str  # grey, rgb, cmyk, spot, other
    spots: tuple[str, ...] = ()

    def ink(self, numbers: list[float]) -> Ink:
        """What is painted with `numbers` (0 to 1) of this space."""
        if self.kind == "spot":
            return Ink("", self.spots)
        if self.kind == "grey" and len(numbers) == 1:
            return Ink(_hex(numbers * 3))
        if self.kind == "rgb" and len(numbers) == 3:
            return Ink(_hex(numbers))
        if self.kind == "cmyk" and len(numbers) == 4:
            c, m, y, k = numbers
            return Ink(_hex([(1 - c) * (1 - k), (1 - m) * (1 - k), (1 - y) * (1 - k)]))
        return Ink("")


GREY, RGB, CMYK, OTHER = Space("grey"), Space("rgb"), Space("cmyk"), Space("other")
_DEVICE = {
    "/DeviceGray": GREY,
    "/DeviceRGB": RGB,
    "/DeviceCMYK": CMYK,
    "/G": GREY,
    "/RGB": RGB,
    "/CMYK": CMYK,
    "/CalGray": GREY,
    "/CalRGB": RGB,
}
_BY_COUNT = {1: GREY, 3: RGB, 4: CMYK}


def _hex(levels: list[float]) -> str:
    return "#" + "".join(f"{round(255 * min(max(level, 0.0), 1.0)):02x}" for level in levels)


def space_named(name: pikepdf.Object, resources: pikepdf.Object | None) -> Space:
    """The colour space `name` stands for, by itself or in the resources."""
    if str(name) in _DEVICE:
        return _DEVICE[str(name)]
    found = lookup(resources, "/ColorSpace", name)
    return OTHER if found is None else space_of(found)


def space_of(found: Any) -> Space:
    """The colour space that an object describes."""
    if isinstance(found, pikepdf.Name):
        return _DEVICE.get(str(found), OTHER)
    if not isinstance(found, pikepdf.Array) or not len(found):
        return OTHER
    kind = str(found[0])
    if kind == "/ICCBased" and len(found) > 1:
        return _BY_COUNT.get(int(found[1].get("/N", 0)), OTHER)
    if kind == "/Separation" and len(found) > 1:
        return Space("spot", (_plain(found[1]),))
    if kind == "/DeviceN" and len(found) > 1:
        return Space("spot", tuple(_plain(name) for name in found[1]))
    return _DEVICE.get(kind, OTHER)


def _plain(name: Any) -> str:
    """The text of a name object without its slash."""
    return str(name).removeprefix("/")


def lookup(resources: pikepdf.Object | None, group: str, name: Any) -> Any:
    """The entry `name` of a group of resources, or None."""
    if resources is None:
        return None
    held = resources.get(group)
    return held.get(str(name)) if isinstance(held, pikepdf.Dictionary) else None


BLACK = Ink("#000000")
FAINTEST = 0.03
"""What is painted with less than this is not seen on a print (a value of our own: three levels of 100)."""


@dataclass(frozen=True)
class Group:
    """What transparency groups (ISO 32000-1, 11.6) leave of what is painted in them."""

    alpha: float = 1.0
    veiled: bool = False


WHOLE = Group()


@dataclass(frozen=True)
class State:
    """What q saves and Q brings back. `clip` is in millimetres; None is the whole page. `veiled`: a soft mask lies over
    what is painted; `group` is what the groups that this lies in leave of it."""

    matrix: Matrix
    width: float = 1.0
    cap: Cap = "butt"
    join: Join = "mitre"
    fill_space: Space = GREY
    stroke_space: Space = GREY
    fill: Ink = BLACK
    stroke: Ink = BLACK
    clip: BaseGeometry | None = None
    fill_alpha: float = 1.0
    stroke_alpha: float = 1.0
    veiled: bool = False
    group: Group = WHOLE

    def but(self, **changed: Any) -> "State":
        """The same state with what is `changed` in it, as dataclasses.replace has it: that takes four times as long,
        and a drawing asks for it at every colour that it sets."""
        state = object.__new__(State)
        state.__dict__.update(self.__dict__, **changed)
        return state

    @property
    def pen(self) -> Matrix | None:
        """From a pen as wide as 1 to the page; None where what it draws is as wide in all directions."""
        a, b, c, d, e, f = self.matrix
        if self.width <= 0 or is_even(self.matrix):
            return None
        return (a * self.width, b * self.width, c * self.width, d * self.width, e, f)

    def set_by(self, found: pikepdf.Dictionary) -> "State":
        """The state after a dictionary of the graphics state (8.4.5)."""
        state = self
        if "/LW" in found:
            state = state.but(width=float(found.LW))
        if "/LC" in found:
            state = state.but(cap=CAPS[int(found.LC) % 3])
        if "/LJ" in found:
            state = state.but(join=JOINS[int(found.LJ) % 3])
        if "/ca" in found:
            state = state.but(fill_alpha=float(found.ca))
        if "/CA" in found:
            state = state.but(stroke_alpha=float(found.CA))
        if "/SMask" in found:
            state = state.but(veiled=isinstance(found.SMask, pikepdf.Dictionary))
        return state

    def seen(self, fills: bool, strokes: bool) -> Seen:
        """How much is to be seen of what is painted now."""
        alphas = [alpha for painted, alpha in ((fills, self.fill_alpha), (strokes, self.stroke_alpha)) if painted]
        faint = [alpha * self.group.alpha < FAINTEST for alpha in alphas]
        if all(faint):
            return "not"
        return "partly" if any(faint) or self.veiled or self.group.veiled else "whole"

    def in_group(self) -> "State":
        """The state inside a group that is painted as one: it begins anew with what the group itself is behind."""
        group = Group(self.group.alpha * self.fill_alpha, self.group.veiled or self.veiled)
        return self.but(fill_alpha=1.0, stroke_alpha=1.0, veiled=False, group=group)

    def with_matrix(self, matrix: Matrix) -> "State":
        """The same state with another matrix to the page."""
        return self.but(matrix=times(matrix, self.matrix))


@dataclass(frozen=True)
class Layer:
    """A layer (optional content group) as it bears on what is painted in it."""

    name: str
    hidden: bool = False
    step: Kind | None = None


class Layers:
    """The layers of a document: names, which are switched off, and the processing steps they carry."""

    def __init__(self, pdf: pikepdf.Pdf) -> None:
        properties = pdf.Root.get("/OCProperties")
        defaults = properties.get("/D") if isinstance(properties, pikepdf.Dictionary) else None
        self._off: set[tuple[int, int]] = set()
        if isinstance(defaults, pikepdf.Dictionary):
            groups = properties.get("/OCGs", []) if properties is not None else []
            if defaults.get("/BaseState") == Name.OFF:
                on = {group.objgen for group in defaults.get("/ON", [])}
                self._off = {group.objgen for group in groups} - on
            else:
                self._off = {group.objgen for group in defaults.get("/OFF", [])}

    def of(self, group: Any) -> list[Layer]:
        """The layers that an /OC entry names: one group, or the groups of a membership dictionary."""
        if not isinstance(group, pikepdf.Dictionary):
            return []
        if group.get("/Type") == Name.OCMD:
            members = group.get("/OCGs", [])
            several = [members] if isinstance(members, pikepdf.Dictionary) else list(members)
            found = [
                layer
                for member in several
                if isinstance(member, pikepdf.Dictionary) and member.get("/Type") != Name.OCMD
                for layer in self.of(member)
            ]
            # ISO 32000-1 8.11.2.2: shown when any of its groups is on, unless told otherwise
            policy = str(group.get("/P", Name.AnyOn))
            states = [layer.hidden for layer in found]
            hidden = bool(states) and {
                "/AllOn": any(states),
                "/AnyOff": not any(states),
                "/AllOff": not all(states),
            }.get(policy, all(states))
            return [replace(layer, hidden=hidden) for layer in found]
        name = str(group.get("/Name", ""))
        step = None
        metadata = group.get("/GTS_Metadata")
        if isinstance(metadata, pikepdf.Dictionary):
            step = step_kind(
                _plain(metadata.get("/GTS_ProcStepsGroup", "")), _plain(metadata.get("/GTS_ProcStepsType", ""))
            )
        return [Layer(name, group.objgen in self._off, step)]


def copied_resources(resources: Any) -> Any:
    """Resources whose list of external objects may be added to without changing another form's."""
    if not isinstance(resources, pikepdf.Dictionary):
        return pikepdf.Dictionary()
    copy = pikepdf.Dictionary(dict(resources.items()))
    if "/XObject" in copy:
        copy.XObject = pikepdf.Dictionary(dict(copy.XObject.items()))
    return copy
