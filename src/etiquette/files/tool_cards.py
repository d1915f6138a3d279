"""TOOLS.json: tool cards by kind of line."""

from typing import Annotated

from pydantic import Field, RootModel
from pydantic.fields import FieldInfo

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.profiles import BOUNDS, START_FORCE_GF, Grain, ToolCard
from etiquette.files.contracts import Strict, parse_file


def within(name: str) -> FieldInfo:
    """The bounds of a tool card's value (core.cutting.profiles.BOUNDS) as a field."""
    least, most = BOUNDS[name]
    info: FieldInfo = Field(ge=least, le=most)
    return info


class ToolCardFile(Strict):
    force_gf: Annotated[float, within("force_gf")] = START_FORCE_GF
    speed_mm_s: Annotated[float, within("speed_mm_s")] = 300.0
    overcut_mm: Annotated[float, within("overcut_mm")] = 0.5
    tool: Annotated[str, Field(max_length=60)] = ""
    offset_mm: Annotated[float, within("offset_mm")] = 0.0
    passes: Annotated[int, within("passes")] = 1
    passes_across: Annotated[int, within("passes_across")] = 0
    """Where a line runs across the grain; 0: as often as others."""
    force_across_gf: Annotated[float, within("force_across_gf")] = 0.0
    """How hard such a line is made; 0: as others."""
    grain: Grain = ""
    """Which way the grain of the stock goes: along the feed, across it, or none."""
    deep_mm: Annotated[float, within("deep_mm")] = 3.0
    light_mm: Annotated[float, within("light_mm")] = 1.0
    light_force_gf: Annotated[float, within("light_force_gf")] = 0.0
    tie_mm: Annotated[float, within("tie_mm")] = 0.0
    tie_every_mm: Annotated[float, within("tie_every_mm")] = 60.0


class ToolsFile(RootModel[dict[Kind, ToolCardFile]]):
    """TOOLS.json"""


def read_tools(text: bytes, where: str) -> dict[Kind, ToolCard]:
    """Raises JobError."""
    given = parse_file(ToolsFile, text, where)
    return {kind: ToolCard(**card.model_dump()) for kind, card in given.root.items()}
