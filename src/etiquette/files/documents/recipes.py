"""A recipe: choices of Lines, Run and Print under a name, for art and runs to come."""

from collections.abc import Sequence
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, create_model, field_validator

from etiquette.files.documents.designs import DesignDocument
from etiquette.files.documents.document import Document, bounded, left_out
from etiquette.files.documents.runs import RunDocument

ABOUT_ONE_ART = frozenset(
    ("name", "art_id", "arranged", "due_count", "area", "line_edits", "white_art_id", "clear_art_id",
     "clear_area", "specials", "both_sides", "spot_inks", "replaced", "picked", "own_marks", "rows", "braille", "tiles",
     "tile", "folds", "ready")
)  # fmt: skip
"""Of a design, what says something about its very art, and so is no choice for others."""
ABOUT_ONE_RUN = frozenset(
    ("name", "roll_id", "more_rolls", "items", "pinned", "filled", "layout", "layout_key", "kept", "stock_id",
     "printer_id", "laminator_id", "cutter_id", "mark_set_id", "print_mode_id", "stack")
)  # fmt: skip
"""Of a run, what says something about it alone. Its stock and its machines are named instead of numbered."""
THINGS = ("stock", "printer", "laminator", "cutter", "mark_set", "print_mode")
"""What a recipe names of the Shelf."""


def _chosen_of(name: str, kind: type[Document], but: frozenset[str], more: dict[str, Any]) -> type[BaseModel]:
    """A model of some of the values of a document; what is not named is not chosen."""
    names = [one for one in kind.model_fields if one not in but]
    values: Any = {one: (bounded(kind.model_fields[one]), Field(default_factory=left_out)) for one in names}
    made: type[BaseModel] = create_model(
        name, __config__=ConfigDict(extra="forbid", allow_inf_nan=False), **values, **more
    )
    return made


_NAMED: dict[str, Any] = {one: (str | None, Field(default_factory=left_out, max_length=120)) for one in THINGS}
LinesChoices = _chosen_of("LinesChoices", DesignDocument, ABOUT_ONE_ART, {})
RunChoices = _chosen_of("RunChoices", RunDocument, ABOUT_ONE_RUN, _NAMED)


def _checked(model: type[BaseModel], values: dict[str, Any]) -> dict[str, Any]:
    return model.model_validate(values).model_dump(mode="json", by_alias=True, exclude_unset=True)


class RecipeDocument(Document):
    """What is chosen, and nothing else: a value that a recipe does not name stays as it is. Things of the Shelf are
    named, so that a recipe is understood by another shop."""

    lines: dict[str, Any] = {}
    run: dict[str, Any] = {}
    send: bool = False
    """What is made by itself with this recipe is sent to the printer; else it is held."""

    @field_validator("lines")
    @classmethod
    def _lines_are_choices(cls, values: dict[str, Any]) -> dict[str, Any]:
        return _checked(LinesChoices, values)

    @field_validator("run")
    @classmethod
    def _run_is_choices(cls, values: dict[str, Any]) -> dict[str, Any]:
        return _checked(RunChoices, values)


def choices_in(document: Document, model: type[BaseModel], but: Sequence[str] = ()) -> dict[str, Any]:
    """What a document chose: its values that are not those it would begin with."""
    values = document.model_dump(mode="json", by_alias=True)
    begin = type(document).model_fields
    found = {}
    for name in model.model_fields:
        if name in begin and name not in but:
            default = begin[name].get_default(call_default_factory=True)
            plain = default.model_dump(mode="json") if isinstance(default, BaseModel) else default
            if values[name] != plain:
                found[name] = values[name]
    return found
