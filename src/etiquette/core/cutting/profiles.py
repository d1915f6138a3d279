"""What a cutter is told and how: device profiles and tool cards."""

from dataclasses import dataclass

from etiquette.core.errors import JobError
from etiquette.core.units import HPGL_UNIT_MM


@dataclass(frozen=True)
class ToolCard:
    """Settings of one tool on one stock. Force about 70 gf suits glossy calendered vinyl (common practice, no published
    source)."""

    force_gf: float = 70.0
    speed_mm_s: float = 300.0
    overcut_mm: float = 0.5


@dataclass(frozen=True)
class DeviceProfile:
    """`tolerance_mm`: how near a flattened curve stays; `unit_mm`: the device's own unit."""

    name: str
    unit_mm: float = HPGL_UNIT_MM
    tolerance_mm: float = 0.02
    travel_mm_s: float = 600.0
    lift_seconds: float = 0.08


PROFILES = {
    profile.name: profile
    for profile in (DeviceProfile("knife"), DeviceProfile("fine-knife", unit_mm=0.01, tolerance_mm=0.01))
}


def profile_named(name: str) -> DeviceProfile:
    """The profile called `name`. Raises JobError."""
    if name not in PROFILES:
        raise JobError(f"There is no device profile called “{name}”.", "device", f"Use {' or '.join(PROFILES)}.")
    return PROFILES[name]
