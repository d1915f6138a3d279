"""How colours are corrected in print, of a design or of a whole run."""

from pydantic import BaseModel, Field

from etiquette.core.printing.corrections import Correction


class ColourWishes(BaseModel):
    """Each from -100 to 100, 0: as it came (core.printing.corrections.Correction)."""

    lightness: float = Field(default=0.0, ge=-100, le=100)
    contrast: float = Field(default=0.0, ge=-100, le=100)
    saturation: float = Field(default=0.0, ge=-100, le=100)
    red_green: float = Field(default=0.0, ge=-100, le=100)
    yellow_blue: float = Field(default=0.0, ge=-100, le=100)

    def correction(self) -> Correction:
        return Correction(self.lightness, self.contrast, self.saturation, self.red_green, self.yellow_blue)
