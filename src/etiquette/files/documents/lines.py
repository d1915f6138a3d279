"""What was learned of a design while its finish lines were found."""

from dataclasses import fields
from typing import ClassVar

from pydantic import BaseModel

from etiquette.core.artwork.line_rules import Word
from etiquette.core.finishing.bleed import State
from etiquette.core.finishing.checks import Finding
from etiquette.core.finishing.lines import LineReport
from etiquette.core.production.proposing import Proposal
from etiquette.files.documents.document import Document, Upgrade, Values


class CaughtReport(BaseModel):
    """What the line rules made of vector art: paths caught by kind, and paths that look like lines but were not."""

    caught: dict[str, int]
    why: list[str]
    suspects: int
    hidden: list[str]
    undrawn: list[str] = []
    """What the file holds and nobody draws, in words."""
    spots: list[str] = []
    """Named colours of the art that are not lines."""
    layers: list[str] = []
    colours: list[str] = []
    """Outermost layers and the colours (#rrggbb) of what is left in the print, the most used first."""
    left_in: list[str] = []
    """Named colours meant as white or clear in which text or pictures are painted: those stay in the colour."""
    asks: list[Word] = []
    """Words in it that some customers say for another kind of line."""
    left_out: list[str] = []
    """What was taken out of the file because it must not run or be fetched."""
    fonts_lacking: list[str] | None = None
    """Fonts of its text that are not in it, or that another one stands in for."""
    glass: bool | None = None
    """Whether anything is see-through; None here and above: a former version did not look."""


class BleedStretch(BaseModel):
    """A stretch of a line along which bleed is full or short; `d` is SVG path data in mm, y down."""

    state: State
    d: str


class BleedReport(BaseModel):
    """Where bleed is short, and where the picture of the print lies (x, y, width, height in design mm, y up)."""

    short_mm: float
    stretches: list[BleedStretch]
    box: tuple[float, float, float, float]


def _report_apart(values: Values) -> Values:
    """Version 1 kept the report of the lines among the rest."""
    report = {one.name: values.pop(one.name) for one in fields(LineReport) if one.name in values}
    return {"report": report, **values}


def _fonts_by_name(values: Values) -> Values:
    """Version 2 told whether fonts were lacking, and not which."""
    caught = values.get("caught")
    lacking = {None: None, False: [], True: ["a font"]}
    return {**values, "caught": caught and {**caught, "fonts_lacking": lacking[caught.get("fonts_missing")]}}


class LinesDocument(Document):
    upgrades: ClassVar[tuple[Upgrade, ...]] = (_report_apart, _fonts_by_name)
    report: LineReport
    caught: CaughtReport | None = None
    bleed: BleedReport | None = None
    findings: tuple[Finding, ...] = ()
    proposed: Proposal = Proposal()
