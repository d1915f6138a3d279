"""Rights: what a person may do, by the role that they have in the shop."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

from etiquette.core.errors import JobError

Role = Literal["owner", "operator", "viewer"]


class Right(StrEnum):
    ENTER = "be signed in"
    """Held by everybody who is: what concerns oneself."""
    SEE = "see this"
    """Jobs, designs, runs, sheets, the Shelf."""
    BOOKS = "see the books"
    """Costs, quotes, records, watched folders, who may work here."""
    PREPARE = "prepare work"
    """Take art in, change designs and runs."""
    PRINT = "print"
    CUT = "cut"
    KEEP = "change the Shelf"
    OWN = "do what is the owner's"
    """People, tokens, the trail of what was done, addresses of machines, watched folders, recipes that run by
    themselves, copies of the shop."""


EVERYDAY = frozenset(Right) - {Right.OWN}
RIGHTS: dict[Role, frozenset[Right]] = {
    "owner": frozenset(Right),
    "operator": EVERYDAY,
    "viewer": frozenset({Right.ENTER, Right.SEE}),
}
OF_TOKENS = (Right.SEE, Right.BOOKS, Right.PREPARE, Right.PRINT, Right.CUT, Right.KEEP)
"""What another system may be let do; nothing of the owner's."""


class NotAllowed(JobError):
    """A person lacks a right."""


class NotSignedIn(JobError):
    """Nobody is known to ask."""


@dataclass(frozen=True)
class Person:
    """Who asks: an account at a browser (`sign_in_id`), or another system by its token (neither id)."""

    name: str
    rights: frozenset[Right]
    way: str = "page"
    account_id: int | None = None
    sign_in_id: int | None = None

    def demand(self, right: Right) -> None:
        """Raises NotAllowed."""
        if right not in self.rights:
            do = "Ask an owner of the shop." if right == Right.OWN else "Ask somebody who may."
            raise NotAllowed(f"{self.name} may not {right.value}.", self.name, do)
