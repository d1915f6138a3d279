"""What a cutter is told and how: device profiles and tool cards."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from etiquette.core.artwork.kinds import KINDS, Kind
from etiquette.core.errors import JobError
from etiquette.core.geometry.paths import Points
from etiquette.core.units import HPGL_UNIT_MM

LARGEST_USUAL_OFFSET_MM = 1.0
"""A drag knife's offset is about 0.25 mm (from memory); one over this is asked about."""


START_FORCE_GF = 50.0
"""What a new tool card begins with: light, so that the first try marks no liner; the test card finds the rest."""
BOUNDS: dict[str, tuple[float, float]] = {
    "force_gf": (1, 2000),
    "speed_mm_s": (1, 2000),
    "overcut_mm": (0, 10),
    "offset_mm": (0, 5),
    "passes": (1, 9),
    "passes_across": (0, 9),
    "force_across_gf": (0, 2000),
    "deep_mm": (0.1, 100),
    "light_mm": (0, 100),
    "light_force_gf": (0, 2000),
    "tie_mm": (0, 50),
    "tie_every_mm": (1, 5000),
}
"""From the least to the most that a tool is ever told: the one definition for the Shelf, for TOOLS.json, for test cards
and for whatever is sent. Wide enough for any machine we know of, and no wider."""


Grain = Literal["", "along", "across"]
"""Which way the fibres of a stock lie; empty: it has none, or nobody said."""


@dataclass(frozen=True)
class ToolCard:
    """Settings of one tool on one stock, within BOUNDS; JobError is raised for others. Lengths in mm. The force has to
    be found on a test card: what is right depends on the blade, the stock and the machine.

    `tool`: what has to be in the holder, in words; `offset_mm`: how far the tip of a drag knife trails its pivot;
    `passes`: how often every line is followed, `passes_across` and `force_across_gf`: how often, and how hard, where it
    runs across the `grain` of the stock, which goes along the feed or across it; 0: as elsewhere. A perforation is
    `deep_mm` with the full force, then `light_mm` with `light_force_gf`, 0 for lifted. `tie_mm`: length of the bridges
    left in a through cut, about every `tie_every_mm`."""

    force_gf: float = START_FORCE_GF
    speed_mm_s: float = 300.0
    overcut_mm: float = 0.5
    tool: str = ""
    offset_mm: float = 0.0
    passes: int = 1
    deep_mm: float = 3.0
    light_mm: float = 1.0
    light_force_gf: float = 0.0
    tie_mm: float = 0.0
    tie_every_mm: float = 60.0
    passes_across: int = 0
    force_across_gf: float = 0.0
    grain: Grain = ""

    def passes_of(self, points: Points) -> int:
        """How often a line through `points` (n, 2; across the stock, along the feed) is followed."""
        return max(self.passes, self.passes_across) if self.is_across(points) else self.passes

    def is_across(self, points: Points) -> bool:
        """Whether that line runs across the grain more than along it."""
        if not self.grain:
            return False
        across, along = np.abs(np.diff(points, axis=0)).sum(axis=0)
        return bool(across > along if self.grain == "along" else along > across)

    def force_of(self, light: bool, across: bool) -> float:
        """How hard a stroke is made: a light span of a perforation, one across the grain, or any other."""
        if light:
            return self.light_force_gf
        return self.force_across_gf if across and self.force_across_gf else self.force_gf

    def __post_init__(self) -> None:
        for name, (least, most) in BOUNDS.items():
            value = getattr(self, name)
            if not least <= value <= most:  # also when it is not a number
                words = name.rsplit("_", 1)[0].replace("_", " ") if "_" in name else name
                raise JobError(
                    f"The {words} of a tool goes from {least:g} to {most:g}, not {value:g}.",
                    self.tool or "tool",
                    "Set another value.",
                )


@dataclass(frozen=True)
class LineStyle:
    """How cut lines look in a file for a program that tells tools by look. `order`: kinds from the lowest layer up."""

    stroke_mm: float = 0.1
    colours: dict[Kind, str] = field(default_factory=dict)
    order: tuple[Kind, ...] = ()
    marks: Literal["none", "under", "over"] = "none"
    """Whether the file carries the registration marks, under the lines or over them."""
    inset_mm: float = 0.0
    """How far closed lines are drawn inside themselves, for a machine that cuts outside its line."""
    names: Mapping[Kind, str] = field(default_factory=dict)
    """What the layer of a kind is called; the others are called as the kind is."""


@dataclass(frozen=True)
class DeviceProfile:
    """`tolerance_mm`: how near a flattened curve stays; `arcs`: curves are sent as arcs; `unit_mm`: the device's own
    unit; `turn_deg` (0, 90, 180, 270): by how much our axes are turned counter-clockwise to become its own, then moved
    by `origin_mm`; `stretch_mm`: along a frame longer than two of these the media is moved from stretch to stretch, 0
    for never; `rest_heading_deg`: where a drag knife points before the first line; `sets_speed`, `sets_force`: whether
    it takes these from the job; `tools`: holders it has, so that with one of them every change of tool is a stop."""

    name: str
    words: str = ""
    unit_mm: float = HPGL_UNIT_MM
    tolerance_mm: float = 0.02
    arcs: bool = False
    turn_deg: int = 0
    origin_mm: tuple[float, float] = (0.0, 0.0)
    travel_mm_s: float = 600.0
    acceleration_mm_s2: float = 6000.0
    lift_seconds: float = 0.08
    stretch_mm: float = 500.0
    rest_heading_deg: float = 0.0
    sets_speed: bool = True
    sets_force: bool = True
    tools: int = 1
    style: LineStyle = LineStyle()

    @property
    def flat_mm(self) -> float:
        """How near the points of a line stay to it."""
        return self.tolerance_mm / (4 if self.arcs else 2)

    @property
    def rest_mm(self) -> float:
        """What of the tolerance is left for arcs or for the knife's swivels."""
        return self.tolerance_mm - self.flat_mm


LASER_STROKE_MM, WEB_STROKE_MM = 0.01, 0.2
"""Thin enough to be taken for a line without a width; wide enough to be seen on a screen. What a program asks for is
given with the file (styled)."""
LASER_COLOURS: dict[Kind, str] = {
    "kiss": "#0000ff",
    "through": "#ff0000",
    "perforation": "#ff00ff",
    "crease": "#00aa00",
    "score": "#ff8800",
    "pen": "#000000",
}
"""A colour for each kind, so that each can be given a power of its own."""

PROFILES = {
    profile.name: profile
    for profile in (
        DeviceProfile("knife", "plotter with a knife, HP-GL in 0.025 mm"),
        DeviceProfile("fine-knife", "plotter with a knife, steps of 0.01 mm", unit_mm=0.01, tolerance_mm=0.01),
        DeviceProfile("arc-knife", "plotter that follows arcs", arcs=True, tolerance_mm=0.01),
        DeviceProfile(
            "two-tool-table",
            "table with two holders, x along the feed",
            turn_deg=270,
            origin_mm=(0.0, 1600.0),
            tools=2,
            stretch_mm=0,
        ),
        DeviceProfile(
            "laser",
            "file for a laser: a colour for each kind, marks in black under them",
            arcs=True,
            sets_force=False,
            style=LineStyle(LASER_STROKE_MM, LASER_COLOURS, marks="under"),
        ),
        DeviceProfile(
            "web-cutter",
            "file for a machine that cuts a running web: the outline, the mark above it",
            sets_force=False,
            style=LineStyle(WEB_STROKE_MM, marks="over"),
        ),
    )
}


def styled(
    profile: DeviceProfile, stroke_mm: float | None = None, colour: str | None = None, inset_mm: float | None = None
) -> DeviceProfile:
    """`profile` with another width or inset of its lines, or one colour for all of them (#rrggbb); None: as it is."""
    style = profile.style
    style = replace(
        style,
        stroke_mm=style.stroke_mm if stroke_mm is None else stroke_mm,
        colours=style.colours if colour is None else dict.fromkeys(KINDS, colour),
        inset_mm=style.inset_mm if inset_mm is None else inset_mm,
    )
    return replace(profile, style=style)


def named(profile: DeviceProfile, names: Mapping[Kind, str]) -> DeviceProfile:
    """`profile` with other names for the layers of these kinds."""
    return replace(profile, style=replace(profile.style, names=names))


def profile_named(name: str) -> DeviceProfile:
    """The profile called `name`. Raises JobError."""
    if name not in PROFILES:
        raise JobError(f"There is no device profile called “{name}”.", "device", f"Use {' or '.join(PROFILES)}.")
    return PROFILES[name]
