"""Fonts that fields are set in: faces that are there, the script each further one is for, and what their licence bits
allow."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache, cached_property
from io import BytesIO
from pathlib import Path

import uharfbuzz as hb
from fontTools.ttLib import TTFont, TTLibError

from etiquette.core.errors import JobError

FOLDER = Path("/usr/share/fonts/truetype/noto")
"""Where Debian's package fonts-noto-core has them: its licence (OFL 1.1) lets them be printed and embedded."""
STYLES = ("Regular", "Bold", "Italic", "BoldItalic")
FAMILIES = {"Noto Sans": "NotoSans", "Noto Serif": "NotoSerif"}
SCRIPTS = {
    "Arab": "NotoSansArabic", "Hebr": "NotoSansHebrew", "Deva": "NotoSansDevanagari", "Thai": "NotoSansThai",
    "Beng": "NotoSansBengali", "Gujr": "NotoSansGujarati", "Guru": "NotoSansGurmukhi", "Taml": "NotoSansTamil",
    "Telu": "NotoSansTelugu", "Knda": "NotoSansKannada", "Mlym": "NotoSansMalayalam", "Sinh": "NotoSansSinhala",
    "Khmr": "NotoSansKhmer", "Laoo": "NotoSansLao", "Mymr": "NotoSansMyanmar", "Ethi": "NotoSansEthiopic",
    "Armn": "NotoSansArmenian", "Geor": "NotoSansGeorgian", "Tibt": "NotoSerifTibetan",
}  # fmt: skip
"""Files for scripts that the families above lack, by their names in ISO 15924."""
SIGNS = ("NotoSansSymbols-Regular", "NotoSansSymbols2-Regular", "NotoSansMath-Regular")
# OS/2 fsType (ISO/IEC 14496-22, table OS/2)
_RESTRICTED, _PREVIEW_PRINT, _EDITABLE, _NO_SUBSET, _BITMAPS_ONLY = 0x0002, 0x0004, 0x0008, 0x0100, 0x0200


@dataclass(frozen=True, eq=False)
class Font:
    """One face of a font: its name and its file's content (TrueType or OpenType, one face)."""

    name: str
    content: bytes

    def __getstate__(self) -> dict[str, object]:
        """For another process: what was worked out of it stays in this one."""
        return {"name": self.name, "content": self.content}

    @cached_property
    def face(self) -> hb.Face:
        return hb.Face(hb.Blob(self.content))

    @cached_property
    def shaper(self) -> hb.Font:
        return hb.Font(self.face)

    @cached_property
    def em(self) -> int:
        return int(self.face.upem)

    @cached_property
    def rise(self) -> tuple[float, float]:
        """How far letters reach above the baseline, and below it (positive), in em."""
        held = self.shaper.get_font_extents("ltr")
        return held.ascender / self.em, -held.descender / self.em

    @cached_property
    def allows_subset(self) -> bool:
        return not self._type & _NO_SUBSET

    @cached_property
    def _type(self) -> int:
        return _bits(TTFont(BytesIO(self.content), lazy=True))

    @cached_property
    def _known(self) -> dict[str, bool]:
        return {}

    def has(self, character: str) -> bool:
        if character not in self._known:
            self._known[character] = self.shaper.get_nominal_glyph(ord(character)) is not None
        return self._known[character]


def checked_font(content: bytes, name: str) -> Font:
    """A font file that a shop gave, written anew: only what is known of it stays. Raises JobError when it is none, or
    its licence bits forbid printing from it."""
    do = "Give a TrueType or OpenType font (.ttf, .otf)."
    if content[:4] == b"ttcf":
        raise JobError("This file holds several fonts.", name, "Give the one that is meant as a file of its own.")
    try:
        font = TTFont(BytesIO(content), lazy=False, recalcTimestamp=False)
        glyphs, cmap = font.getGlyphOrder(), font.getBestCmap()
        if not glyphs or not cmap or not {"head", "hhea", "hmtx", "maxp"} <= set(font.keys()):
            raise JobError("The font has no letters.", name, do)
        if "glyf" not in font and "CFF " not in font:
            raise JobError("The font has no outlines.", name, do)
        if why := forbidden(font):
            raise JobError(why, name, "Get a licence that allows it from whoever made the font, or use another one.")
        if "fvar" in font:
            from fontTools.varLib.instancer import instantiateVariableFont

            font = instantiateVariableFont(font, {axis.axisTag: axis.defaultValue for axis in font["fvar"].axes})
        font.flavor = None
        out = BytesIO()
        font.save(out)
        full = (font["name"].getDebugName(4) or font["name"].getBestFullName()) if "name" in font else None
    except JobError:
        raise
    except (TTLibError, AssertionError, AttributeError, KeyError, ValueError, IndexError, OverflowError) as error:
        raise JobError(f"The font cannot be read ({type(error).__name__}).", name, do) from None
    made = Font(" ".join((full or name).split())[:80], out.getvalue())
    if made.face.glyph_count == 0:
        raise JobError("The font has no letters.", name, do)
    return made


def _bits(font: TTFont) -> int:
    return int(font["OS/2"].fsType) if "OS/2" in font else 0


def forbidden(font: TTFont) -> str:
    """Why a font must not go into a print file; empty when it may. Of several bits the freest holds."""
    bits = _bits(font)
    if bits & _BITMAPS_ONLY:
        return "The font's licence bits allow its bitmaps only."
    if bits & _RESTRICTED and not bits & (_PREVIEW_PRINT | _EDITABLE):
        return "The font's licence bits forbid embedding it."
    return ""


def shipped_faces() -> list[str]:
    """The names of the faces that come with Etiquette and are there."""
    named = [(f"{family} {_spaced(style)}", f"{file}-{style}") for family, file in FAMILIES.items() for style in STYLES]
    return [name for name, file in named if (FOLDER / f"{file}.ttf").is_file()]


def _spaced(style: str) -> str:
    return style.replace("BoldItalic", "Bold Italic")


@cache
def _file(stem: str) -> Font | None:
    path = FOLDER / f"{stem}.ttf"
    return Font(stem, path.read_bytes()) if path.is_file() else None


class FontShelf:
    """The fonts that can be asked for: those that ship, and the shop's own by name."""

    def __init__(self, own: Mapping[str, Font] = {}) -> None:
        self._own = dict(own)

    def names(self) -> list[str]:
        return [*sorted(self._own), *shipped_faces()]

    def font(self, name: str) -> Font:
        """Raises JobError."""
        if name in self._own:
            return self._own[name]
        for family, stem in FAMILIES.items():
            if name == family or name.startswith(family + " "):
                style = name[len(family) + 1 :].replace(" ", "") or "Regular"
                found = _file(f"{stem}-{style}") if style in STYLES else None
                if found is not None:
                    return found
        there = ", ".join(self.names()[:6]) or "none; install Debian's fonts-noto-core"
        raise JobError(f"There is no font “{name}”.", "fonts", f"Fonts are: {there}.")

    def chain(self, name: str, script: str) -> Sequence[Font]:
        """The font that is asked for, and those that are taken where it has no such letter."""
        bold = "bold" in name.casefold()
        stems = [f"{SCRIPTS[script]}-{'Bold' if bold else 'Regular'}"] if script in SCRIPTS else []
        stems += [f"{SCRIPTS[script]}-Regular"] if script in SCRIPTS else []
        stems += ["NotoSans-Bold"] if bold else []
        others = [_file(stem) for stem in (*stems, "NotoSans-Regular", *SIGNS)]
        return [self.font(name), *(one for one in others if one is not None)]
