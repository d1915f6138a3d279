"""The shop's line rules: which paths of vector art are which line."""

import json
from functools import lru_cache

from sqlalchemy.orm import Session

from etiquette.core.artwork.line_rules import DEFAULT_RULES, LineRule
from etiquette.files.line_rules import RulesFile
from etiquette.stations.edits import Stale
from etiquette.store.models import LineRules


def rules_of(session: Session) -> tuple[LineRule, ...]:
    """The shop's line rules, its own names first; the default ones until somebody changed them."""
    held = session.get(LineRules, 1)
    if held is None:
        return DEFAULT_RULES
    return _parsed(json.dumps(held.rules))


def rules_file(session: Session) -> RulesFile:
    """The same as it is kept, rules and names apart."""
    held = session.get(LineRules, 1)
    return RulesFile.of(DEFAULT_RULES) if held is None else RulesFile.model_validate(held.rules)


@lru_cache(maxsize=8)
def _parsed(rules: str) -> tuple[LineRule, ...]:
    """What is kept, as it is used: it is asked for with every design and seldom changes."""
    return RulesFile.model_validate_json(rules).to_rules()


def rules_version(session: Session) -> int:
    """Rises with every change of the line rules; 0 while they are the default ones."""
    held = session.get(LineRules, 1)
    return held.version if held else 0


def keep_rules(session: Session, version: int, rules: RulesFile) -> None:
    """Raises Stale when somebody else changed them since `version`."""
    held = session.get(LineRules, 1, with_for_update=True)
    if version != (held.version if held else 0):
        raise Stale("line rules", 0, held.version if held else 0)
    if held is None:
        session.add(LineRules(id=1, rules=rules.model_dump()))
    else:
        held.rules = rules.model_dump()
