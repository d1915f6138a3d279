"""Where a job is: it follows from its pieces, and nobody types it."""

from collections.abc import Sequence
from dataclasses import dataclass, fields
from math import ceil
from typing import Literal

Step = Literal["lines", "run", "print", "film", "cut"]
STEPS: tuple[Step, ...] = ("lines", "run", "print", "film", "cut")


@dataclass(frozen=True)
class Pieces:
    """Pieces of a design, or of a whole job, by how far they have come; each counts in every step that it has passed.
    `ready`: pieces due whose lines are ready; `planned`: in a run; `printed`; `filmed`: with their film, or printed in
    a run that gets none; `cut`; `good` and `spoiled` of those that were counted; `handed`: given to the customer.
    `spares` are wanted besides what is due."""

    due: int = 0
    ready: int = 0
    planned: int = 0
    printed: int = 0
    filmed: int = 0
    cut: int = 0
    good: int = 0
    spoiled: int = 0
    handed: int = 0
    spares: int = 0

    def __add__(self, other: "Pieces") -> "Pieces":
        return Pieces(*(getattr(self, one.name) + getattr(other, one.name) for one in fields(self)))

    @property
    def missing(self) -> int:
        """Pieces that are due and that no run will bring: what is spoiled has to be planned once more."""
        return max(0, self.due - (self.planned - self.spoiled))

    @property
    def wanted(self) -> int:
        """Pieces for the next run: the first one brings the spares as well, which what is spoiled takes first."""
        return self.missing + self.spares if self.missing == self.due else self.missing

    @property
    def to_hand(self) -> int:
        """Good pieces that are still in the shop, as far as they are due."""
        return max(0, min(self.good, self.due) - self.handed)

    @property
    def is_handed(self) -> bool:
        return self.handed >= self.due

    def shares(self) -> dict[Step, float]:
        """How much of each step is done, 0 to 1. What is spoiled counts as not made."""
        lost = self.spoiled
        done = (self.ready, self.planned - lost, self.printed - lost, self.filmed - lost, self.good)
        shares = [min(1.0, max(0, count) / self.due) if self.due else 0.0 for count in done]
        return dict(zip(STEPS, shares, strict=True))


Tone = Literal["plain", "look", "stop", "good"]


@dataclass(frozen=True)
class Standing:
    """What is said of a job in a few words, and how loudly."""

    words: str
    tone: Tone
    done: bool = False


def spares_of(due: int, count: int, percent: float) -> int:
    """How many pieces are wanted besides `due`: so many, and so many in a hundred, rounded up."""
    return count + ceil(due * percent / 100)


Yes = Literal["not asked", "asked", "given", "changed"]
"""The customer's to a proof of the job."""


def standing(designs: Sequence[Pieces], uncounted: int = 0, yes: Yes = "not asked") -> Standing:
    """Of a job of these designs: what keeps it, the earliest step first. `uncounted`: pieces that are cut and that
    nobody has counted."""
    if not designs:
        return Standing("no art yet", "look")
    whole = sum(designs, Pieces())
    waiting = sum(one.ready < one.due for one in designs)
    if all(one.is_handed for one in designs):
        return Standing("handed over", "good", done=True)
    if all(one.is_handed or one.good >= one.due for one in designs):
        return Standing(f"{sum(one.to_hand for one in designs)} good, to hand over", "good")
    if waiting:
        some = f"{waiting} of {len(designs)} need{'s' if waiting == 1 else ''} lines"
        return Standing("needs lines" if waiting == len(designs) else some, "look")
    if yes in ("asked", "changed") and not whole.printed:
        return Standing(
            "waits for the customer's yes" if yes == "asked" else "changed since the customer's yes", "look"
        )
    missing = sum(one.missing for one in designs)
    if missing and whole.spoiled:
        return Standing(f"{whole.spoiled} spoiled, {missing} to print again", "stop")
    if missing:
        return Standing("ready for a run" if missing == whole.due else f"{missing} of {whole.due} in no run", "plain")
    if whole.printed - whole.spoiled < whole.due:
        return Standing(
            "planned" if not whole.printed else f"{whole.printed - whole.spoiled} of {whole.due} printed", "plain"
        )
    if whole.filmed - whole.spoiled < whole.due:
        return Standing("waits for film", "plain")
    if whole.cut < whole.due:
        return Standing("waits for the cutter" if not whole.cut else f"{whole.cut} of {whole.due} cut", "plain")
    return Standing(f"cut, {uncounted} to count" if uncounted else "cut", "look")
