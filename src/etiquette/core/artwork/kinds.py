"""Kinds of finish line, and the processing steps of ISO 19593-1 that they are."""

from typing import Literal, get_args

Kind = Literal["kiss", "through", "perforation", "crease", "score", "pen"]
KINDS: tuple[Kind, ...] = get_args(Kind)

STRUCTURAL_STEPS: dict[str, Kind] = {
    "Cutting": "through",
    "PartialCutting": "kiss",
    "ReversePartialCutting": "kiss",
    "Perforating": "perforation",
    "Creasing": "crease",
    "ReverseCreasing": "crease",
    "Folding": "crease",
    "CuttingCreasing": "crease",
    "Scoring": "score",
    "Drawing": "pen",
}
"""GTS_ProcStepsType of the group Structural to the kind that follows it. Source: ISO 19593-1:2018, written from memory;
`Scoring` and `Drawing` are not in the standard and are read because files carry them."""
