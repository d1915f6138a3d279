"""RULES.json: line rules in order, the first that catches a path wins."""

import re
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from etiquette.core.artwork.kinds import Kind
from etiquette.core.artwork.line_rules import By, LineRule


class RuleFile(BaseModel):
    """One line rule: which kind, by what, and the values it looks for."""

    model_config = ConfigDict(extra="forbid")
    kind: Kind
    by: By
    values: list[str] = Field(min_length=1, max_length=60)

    @model_validator(mode="after")
    def _values_fit(self) -> "RuleFile":
        for value in self.values:
            if not value.strip() or len(value) > 120:
                raise ValueError("a value is empty or longer than 120 characters")
            if self.by == "colour" and not re.fullmatch(r"#[0-9a-fA-F]{6}", value):
                raise ValueError(f"“{value}” is not a colour; write it as #rrggbb")
            if self.by == "width" and not re.fullmatch(r"\d+([.,]\d+)?", value):
                raise ValueError(f"“{value}” is not a width in mm")
        return self

    def to_rule(self) -> LineRule:
        return LineRule(self.kind, self.by, tuple(self.values))

    @classmethod
    def of(cls, rule: LineRule) -> "RuleFile":
        return cls(kind=rule.kind, by=rule.by, values=list(rule.values))


LineName = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[^<>/\\\\\":;?*|=,'`\x00-\x1f]+$")]
"""A name that layers and spot colours may have in every form of file (a DXF takes fewest characters)."""


class RulesFile(BaseModel):
    """All line rules of a shop, and its own names for kinds of line: a path of a layer or spot colour that is called so
    is that kind before any rule, and files for other programs carry the name."""

    model_config = ConfigDict(extra="forbid")
    rules: list[RuleFile] = Field(max_length=200)
    names: dict[Kind, LineName] = Field(default={}, max_length=6)
    numbered: list[Literal["colour", "white", "clear"]] = Field(default=[], max_length=3)
    """What files that are dropped together hold by the number at the end of their names, from 1; none: a number says
    nothing."""

    @model_validator(mode="after")
    def _names_differ(self) -> "RulesFile":
        if len({name.casefold() for name in self.names.values()}) < len(self.names):
            raise ValueError("two kinds of line have the same name")
        if len(set(self.numbered)) < len(self.numbered) or (self.numbered and "colour" not in self.numbered):
            raise ValueError("one number is the colour, and each of the others another plate")
        return self

    def to_rules(self) -> tuple[LineRule, ...]:
        """In the order in which they are asked."""
        named = (LineRule(kind, "name", (name,)) for kind, name in self.names.items())
        return (*named, *(rule.to_rule() for rule in self.rules))

    @classmethod
    def of(cls, rules: tuple[LineRule, ...]) -> "RulesFile":
        return cls(rules=[RuleFile.of(rule) for rule in rules])
