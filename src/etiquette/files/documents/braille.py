"""Braille on a design, as it was put into dots when it was typed."""

from pydantic import BaseModel, ConfigDict, Field

MOST_DOTS = 6 * 4000


class BrailleDocument(BaseModel):
    """What is said, by which table and in which sizes; `x_mm`, `y_mm`: the lower left corner of its dots on the sign,
    as it is read. `cells`, `back` and `dots` (middles from that corner) follow from these."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
    text: str = Field(min_length=1, max_length=4000)
    as_typed: bool = False
    """Lines in capitals stay so."""
    table: str = Field(default="en-ueb-g2.ctb", max_length=40)
    sizes: str = Field(default="ada-2010", max_length=40)
    x_mm: float = Field(default=0.0, ge=-20_000, le=20_000)
    y_mm: float = Field(default=0.0, ge=-20_000, le=20_000)
    cells: str = Field(max_length=8000)
    back: str = Field(max_length=8000)
    dots: list[tuple[float, float]] = Field(max_length=MOST_DOTS)
    dot_mm: float
    """Across the base of a dot."""
    width_mm: float
    height_mm: float

    @property
    def box(self) -> tuple[float, float, float, float]:
        return (self.x_mm, self.y_mm, self.x_mm + self.width_mm, self.y_mm + self.height_mm)
