"""A recipe in words: what each choice is called, and its value as a person says it."""

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from etiquette.files.documents.recipes import LinesChoices, RunChoices

Part = Literal["lines", "run"]
LABELS: dict[Part, dict[str, str]] = {
    "lines": {
        "width_mm": "Width", "kind": "Kind of line", "ground": "Ground", "distance": "Ground within",
        "offset_mm": "Offset",
        "min_area_mm2": "Drop specks under", "holes": "Holes", "merge_mm": "Join islands nearer than",
        "corner_mm": "Round corners", "tolerance_mm": "Follow within", "follow": "Line follows",
        "join": "Offset corners", "smooth_mm": "Smooth", "more": "More lines", "join_mm": "Close gaps under",
        "merge_own": "Merge lines of the art", "white": "White", "white_choke_mm": "White drawn in",
        "clear": "Clear", "clear_choke_mm": "Clear drawn in", "clear_raised": "Raised clear",
        "second_surface": "Second surface", "marked": "Areas of layers and colours",
        "marked_within": "Marked colours within", "bleed_mm": "Bleed", "turning": "May be turned",
        "lightness": "Lightness", "contrast": "Contrast", "saturation": "Saturation",
        "red_green": "Green to red", "yellow_blue": "Blue to yellow",
    },
    "run": {
        "stock": "Stock", "printer": "Printer", "laminator": "Film", "cutter": "Cutter", "mark_set": "Marks",
        "print_mode": "Print mode", "gap_mm": "Gap", "edge_mm": "Edge left free", "turning": "Pieces may be turned",
        "seconds": "Nests for", "improve_seconds": "Looks on for", "laying": "Laid as", "page_codes": "Codes on pages",
        "grid": "Grid", "bed": "Bed", "weed": "Weed lines", "start_across_mm": "Begins from the edge",
        "start_side": "That edge", "start_along_mm": "Begins after", "sheet_mm": "Sheets of",
        "along": "On its sheet at", "fill_last": "Last sheet filled", "slug": "Slug", "arrow_side": "Arrow",
        "files": "White and clear", "standard": "Print file",
        "half_turn": "Turned by 180°", "way": "Printed and cut", "sever": "Cut off by the printer",
        "tools": "Tools for the job", "rows_from": "First row", "read_codes": "Codes read back",
        "cut_order": "Cut in the order of",
        "strip": "Colour strip", "lightness": "Lightness", "contrast": "Contrast",
        "saturation": "Saturation", "red_green": "Green to red", "yellow_blue": "Blue to yellow",
    },
}  # fmt: skip
"""Every choice that a recipe can hold."""
MODELS: dict[Part, type[BaseModel]] = {"lines": LinesChoices, "run": RunChoices}
UNITS = {"_mm": "mm", "_mm2": "mm²", "seconds": "s"}


class ChoiceShown(BaseModel):
    """One choice of a recipe. `form`: how it can be changed where it stands; `choices` of one of a few."""

    model_config = ConfigDict(frozen=True)
    part: Part
    key: str
    label: str
    words: str
    form: Literal["length", "number", "yes or no", "one of", "text", "as a whole"]
    value: Any
    choices: tuple[str, ...] = ()
    least: float | None = None
    most: float | None = None


def choices_shown(part: Part, values: dict[str, Any]) -> list[ChoiceShown]:
    """In the order of LABELS."""
    shapes = MODELS[part].model_json_schema()["properties"]
    return [_shown(part, key, values[key], shapes[key]) for key in LABELS[part] if key in values]


def _shown(part: Part, key: str, value: Any, shape: dict[str, Any]) -> ChoiceShown:
    shapes = [shape, *shape.get("anyOf", [])]
    number = next((one for one in shapes if one.get("type") in ("number", "integer")), None)
    allowed = next((tuple(map(str, one["enum"])) for one in shapes if "enum" in one), ())
    form: Any = "as a whole"
    if allowed:
        form = "one of"
    elif shape.get("type") == "boolean":
        form = "yes or no"
    elif number is not None:
        form = "length" if key.endswith("_mm") else "number"
    elif any(one.get("type") == "string" for one in shapes):
        form = "text"
    bounds = {"least": number.get("minimum"), "most": number.get("maximum")} if number else {}
    return ChoiceShown(
        part=part, key=key, label=LABELS[part][key], words=in_words(part, key, value), form=form, value=value,
        choices=allowed, **bounds,
    )  # fmt: skip


def in_words(part: Part, key: str, value: Any) -> str:
    """As a person says it; what is a set of its own is only counted."""
    if value is None:
        return (
            "without film" if key == "laminator"
            else "by itself" if key in ("distance", "start_across_mm", "slug")
            else "as it comes" if key == "width_mm" else "none"
        )  # fmt: skip
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        unit = next((unit for end, unit in UNITS.items() if key.endswith(end)), "")
        return f"{value:g} {unit}".strip()
    if isinstance(value, list):
        return f"{len(value)} more" if value else "none"
    if isinstance(value, dict):
        return ", ".join(f"{name.removesuffix('_mm').replace('_', ' ')} {in_words(part, name, one)}"
                         for name, one in value.items()) or "none"  # fmt: skip
    return str(value) or "nothing"
