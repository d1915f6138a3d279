"""TOOLS.json: tool cards by kind of line."""

from typing import Annotated

from pydantic import Field, RootModel

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.profiles import ToolCard
from etiquette.files.contracts import Strict, parse_file


class ToolCardFile(Strict):
    force_gf: Annotated[float, Field(gt=0, le=2000)] = 70.0
    speed_mm_s: Annotated[float, Field(gt=0, le=2000)] = 300.0
    overcut_mm: Annotated[float, Field(ge=0, le=10)] = 0.5
    tool: Annotated[str, Field(max_length=60)] = ""
    offset_mm: Annotated[float, Field(ge=0, le=5)] = 0.0
    passes: Annotated[int, Field(ge=1, le=9)] = 1
    deep_mm: Annotated[float, Field(gt=0, le=100)] = 3.0
    light_mm: Annotated[float, Field(ge=0, le=100)] = 1.0
    light_force_gf: Annotated[float, Field(ge=0, le=2000)] = 0.0
    tie_mm: Annotated[float, Field(ge=0, le=50)] = 0.0
    tie_every_mm: Annotated[float, Field(gt=0, le=5000)] = 60.0


class ToolsFile(RootModel[dict[Kind, ToolCardFile]]):
    """TOOLS.json"""


def read_tools(text: bytes, where: str) -> dict[Kind, ToolCard]:
    """Raises JobError."""
    given = parse_file(ToolsFile, text, where)
    return {kind: ToolCard(**card.model_dump()) for kind, card in given.root.items()}
