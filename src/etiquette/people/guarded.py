"""What a request may do to single values, wherever in it they are changed: addresses of machines, watched folders and
recipes that run by themselves are the owner's."""

from contextvars import ContextVar
from typing import Any, TypeVar

from sqlalchemy import event, select
from sqlalchemy.orm import InstrumentedAttribute, object_session

from etiquette.people.rights import Person, Right
from etiquette.store.models import Cutter, DropFolder, Printer, Recipe

T = TypeVar("T")
ASKS: ContextVar[Person | None] = ContextVar("asks", default=None)
"""Who asks in this request; None: Etiquette itself is at work."""
OWNED: tuple[InstrumentedAttribute[Any], ...] = (
    Printer.address,
    Cutter.address,
    Cutter.eye,
    Cutter.table_eye,
    DropFolder.path,
    DropFolder.recipe_id,
    DropFolder.away,
)


def may(right: Right) -> bool:
    person = ASKS.get()
    return person is None or right in person.rights


def hidden(value: T, right: Right = Right.BOOKS) -> T | None:
    """`value` for who has the right to see it."""
    return value if may(right) else None


def _demand_own() -> None:
    """Raises NotAllowed."""
    person = ASKS.get()
    if person is not None:
        person.demand(Right.OWN)


def _owned(_target: object, value: object, former: object, _event: object) -> None:
    if value != former and not (value in ("", None) and not isinstance(former, str | int)):
        _demand_own()


def _recipe_set(target: Recipe, value: Any, former: Any, _event: object) -> None:
    sends = [isinstance(one, dict) and bool(one.get("send")) for one in (value, former)]
    if value != former and (any(sends) or _runs_by_itself(target)):
        _demand_own()


def _recipe_put_away(target: Recipe, value: bool, former: object, _event: object) -> None:
    if value != former and _runs_by_itself(target):
        _demand_own()


def _runs_by_itself(recipe: Recipe) -> bool:
    session = object_session(recipe)
    if session is None or recipe.id is None:
        return False
    with session.no_autoflush:
        used = select(DropFolder.id).where(DropFolder.recipe_id == recipe.id, ~DropFolder.away).limit(1)
        return session.scalars(used).first() is not None


def watch() -> None:
    """From now on every such change is looked at."""
    for attribute in OWNED:
        if not event.contains(attribute, "set", _owned):
            event.listen(attribute, "set", _owned, active_history=True)
    recipes: tuple[tuple[InstrumentedAttribute[Any], Any], ...]
    recipes = ((Recipe.document_json, _recipe_set), (Recipe.away, _recipe_put_away))
    for attribute, look in recipes:
        if not event.contains(attribute, "set", look):
            event.listen(attribute, "set", look, active_history=True)
