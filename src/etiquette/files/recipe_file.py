"""RECIPE.json: a recipe as a file, from one shop to another."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from etiquette.files.documents.recipes import LinesChoices, RunChoices


class RecipeFile(BaseModel):
    """Choices under a name. Stock, machines and marks are named; what another shop does not have is left open there.
    `special_inks`: what the numbers of inks in them are called."""

    model_config = ConfigDict(extra="forbid")
    version: Literal[1] = 1
    name: str = Field(min_length=1, max_length=120)
    lines: LinesChoices = Field(default_factory=LinesChoices)  # type: ignore[valid-type]
    run: RunChoices = Field(default_factory=RunChoices)  # type: ignore[valid-type]
    send: bool = False
    special_inks: dict[Annotated[int, Field(ge=1)], Annotated[str, Field(min_length=1, max_length=120)]] = Field(
        default={}, max_length=60
    )

    @field_validator("name")
    @classmethod
    def _name_is_something(cls, name: str) -> str:
        if not name.strip():
            raise ValueError("a recipe has a name")
        return name.strip()

    def chosen(self) -> dict[str, Any]:
        """Its choices as a recipe keeps them."""
        values = self.model_dump(mode="json", by_alias=True, exclude_unset=True)
        return {"lines": values.get("lines", {}), "run": values.get("run", {}), "send": self.send}
