"""What holds the media while it is cut, and what of it comes loose: rollers that press on it as it moves to and fro,
and cuts that go from side to side."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from etiquette.core.cutting.profiles import ToolCard
from etiquette.core.geometry.paths import Points

Span = tuple[float, float]
"""From and to, across the machine in mm."""
FLAP_TIE_MM, FLAP_EVERY_MM = 0.6, 80.0
"""Bridges that keep a piece under a roller in its place where the tool card asks for none: short enough to be torn by
hand, and two at least in a ring (values of our own)."""
SEVERS = 0.9
"""A through cut that is so much of the stock wide leaves nothing to pull on."""


@dataclass(frozen=True)
class Rollers:
    """Rollers that press on the stock: the middle of each, and how wide they are, across the machine in mm from where
    the edge of the stock is laid. The media moves under them, so each presses on a strip of its whole length."""

    places_mm: tuple[float, ...]
    width_mm: float

    def strip(self, place_mm: float) -> Span:
        """The strip across the machine, mm, on which a roller at `place_mm` presses."""
        return place_mm - self.width_mm / 2, place_mm + self.width_mm / 2

    def press_on(self, points: Points) -> bool:
        """Whether any of them runs over a shape (n, 2)."""
        low, high = float(points[:, 0].min()), float(points[:, 0].max())
        return any(_meet(self.strip(place), (low, high)) for place in self.places_mm)

    def better_place(self, number: int, spans: Mapping[str, Span], stock: Span) -> float | None:
        """The nearest place for one of them on the stock where it runs over none of `spans` and into no other roller;
        None where there is none."""
        half = self.width_mm / 2
        others = [place for index, place in enumerate(self.places_mm) if index != number]
        taken = [(low - half, high + half) for low, high in spans.values()]
        taken += [(place - self.width_mm, place + self.width_mm) for place in others]
        least, most = stock[0] + half, stock[1] - half
        now = self.places_mm[number]
        ends = [now, least, most, *(end for span in taken for end in span)]
        free = [end for end in ends if least <= end <= most and not any(low < end < high for low, high in taken)]
        return min(free, key=lambda end: abs(end - now), default=None)


@dataclass(frozen=True)
class RolledOver:
    """A roller that runs over what it should not: its number from 0, what it runs over by name, and where it would run
    over nothing (None: nowhere)."""

    number: int
    names: tuple[str, ...]
    better_mm: float | None


def rolled_over(rollers: Rollers, spans: Mapping[str, Span], stock: Span) -> list[RolledOver]:
    """Of the rollers that touch the stock (from and to across the machine) those that run over any of `spans`, or over
    one of its edges."""
    found = []
    edges = {"the edge of the stock": (stock[0], stock[0]), "the other edge of the stock": (stock[1], stock[1])}
    for number, place in enumerate(rollers.places_mm):
        strip = rollers.strip(place)
        if not _meet(strip, stock):
            continue  # lifted, or beside the stock: it presses on nothing
        names = tuple(name for name, span in {**spans, **edges}.items() if _meet(strip, span))
        if names:
            found.append(RolledOver(number, names, rollers.better_place(number, spans, stock)))
    return found


@dataclass(frozen=True)
class Media:
    """The stock under the knife: how wide it is, and the rollers on it."""

    width_mm: float
    rollers: Rollers | None = None

    def severed_by(self, points: Points) -> bool:
        """Whether a through cut along `points` (n, 2) goes from side to side."""
        return bool(points[:, 0].max() - points[:, 0].min() >= SEVERS * self.width_mm)

    def card_for(self, points: Points, card: ToolCard) -> ToolCard:
        """The tool card for one through cut: with ties where a roller would lift what is cut out, and the card asks for
        none."""
        if card.tie_mm or self.rollers is None or not self.rollers.press_on(points):
            return card
        return replace(card, tie_mm=FLAP_TIE_MM, tie_every_mm=FLAP_EVERY_MM)


def _meet(one: Span, other: Span) -> bool:
    return one[0] < other[1] and other[0] < one[1] if other[0] < other[1] else one[0] < other[0] < one[1]
