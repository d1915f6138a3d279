"""What lies on what: the plates of a frame in the order in which they are laid down, the stock first."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

Goes = Literal["behind", "before"]
"""Where an ink belongs as the eye sees it: behind the colours, or before them."""
PlateName = str
"""A plate of PLATES, or what the shop calls a special ink."""
PLATES: tuple[PlateName, ...] = (
    "primer", "other side", "white", "blocker", "white again", "colour", "clear", "height", "braille",
)  # fmt: skip
"""Those that Etiquette knows, as they lie where the colours are seen from the printed side."""
AGAIN: PlateName = "white again"
"""The plate of white once more."""
OPAQUE = ("white", "blocker", AGAIN)
"""Nothing is seen through them."""


@dataclass(frozen=True)
class SpecialInk:
    """An ink of the shop beside process inks, white and clear: its name on the plate, what a screen shows for it (CMYK
    shares from 0 to 1), and where it goes."""

    name: str
    look: tuple[float, float, float, float]
    goes: Goes


def usual_stack(plates: Collection[PlateName], seen_through: bool, specials: Mapping[str, Goes]) -> tuple[str, ...]:
    """`plates` as they are laid down. What is seen through clear stock lies the other way round, but for primer, which
    the stock needs, and for varnish, height and braille, which lie last wherever they are: on the side of the printer.
    """
    behind, before = ([name for name, goes in specials.items() if goes == side] for side in ("behind", "before"))
    inner = ["other side", *OPAQUE, *behind, "colour", *before]
    whole = ["primer", *(reversed(inner) if seen_through else inner), "clear", "height", "braille"]
    # the two layers of white round a blocker are alike, and the first that is laid down is called white
    swapped = {"white": AGAIN, AGAIN: "white"} if seen_through and AGAIN in plates else {}
    return tuple(name for one in whole if (name := swapped.get(one, one)) in plates)


def stack_of(usual: Sequence[str], chosen: Sequence[str]) -> tuple[str, ...]:
    """The plates of `usual` in the order that hands have `chosen`; one that they have not seen follows the plate it
    usually follows."""
    made = [name for name in chosen if name in usual]
    for at, name in enumerate(usual):
        if name not in made:
            made.insert(made.index(usual[at - 1]) + 1 if at else 0, name)
    return tuple(made)


def hidden_in(stack: Sequence[str], seen_through: bool) -> list[tuple[str, str]]:
    """The colours that cannot be seen, each with the layer that hides it: `colour` is looked at from the printed side,
    or, `seen_through`, through the stock; the other side from the other."""
    found = []
    for seen, through in (("colour", seen_through), ("other side", not seen_through)):
        if seen in stack:
            at = stack.index(seen)
            covering = stack[:at] if through else stack[at + 1 :]
            found += [(seen, name) for name in covering if name in OPAQUE][:1]
    return found
