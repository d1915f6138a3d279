"""What a profile says and what a soft proof is made with; apart from the making, which brings LittleCMS along."""

from dataclasses import dataclass

from etiquette.core.printing.intents import Intent, Space

Lab = tuple[float, float, float]


@dataclass(frozen=True)
class ProfileFacts:
    """What a profile says. `white`: of the bare stock, L*a*b* under D50; `ink_limit`: the most ink that it lays on one
    place, percent of all inks together, None where it names no inks; `version`: of the format."""

    description: str
    space: Space
    white: Lab
    ink_limit: float | None
    version: str


@dataclass(frozen=True)
class ProofWish:
    """A profile, and how art is converted for it. `own_white`: the stock's white is shown, not the screen's."""

    profile: bytes
    space: Space
    intent: Intent = "relative"
    black_point: bool = True
    own_white: bool = True
