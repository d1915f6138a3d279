"""Rights: what a person may do. Accounts are to come; until then one operator has all of them."""

from dataclasses import dataclass
from enum import StrEnum

from etiquette.core.errors import JobError
from etiquette.store.models.base import SHOP


class Right(StrEnum):
    SEE = "see"
    PREPARE = "prepare"
    """Take art in, change designs and runs."""
    PRINT = "print"
    CUT = "cut"
    KEEP = "keep the shelf"


class NotAllowed(JobError):
    """A person lacks a right."""


@dataclass(frozen=True)
class Person:
    name: str
    rights: frozenset[Right]

    def demand(self, right: Right) -> None:
        """Raises NotAllowed."""
        if right not in self.rights:
            raise NotAllowed(f"{self.name} may not {right.value}.", self.name, "Ask somebody who may.")


OPERATOR = Person(SHOP, frozenset(Right))
