"""Words as glyphs: a line is parted by direction (UAX 9), script (UAX 24) and font, and each part is shaped by
HarfBuzz, so that any script is right."""

import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby

import uharfbuzz as hb
from fontTools.unicodedata import script

from etiquette.core.variable.bidi import Base, levels_of, visual_order
from etiquette.core.variable.fonts import Font, FontShelf

_SHARED = ("Zyyy", "Zinh", "Zzzz")


@dataclass(frozen=True)
class Glyph:
    """A glyph of a font by number; where it stands and how far the next one is, in em; `text`, the characters it stands
    for (those of its cluster at its first glyph, else none)."""

    number: int
    x: float
    y: float
    advance: float
    text: str


@dataclass(frozen=True)
class GlyphRun:
    """Glyphs of one font in a row, from left to right."""

    font: Font
    glyphs: tuple[Glyph, ...]


@dataclass(frozen=True)
class ShapedLine:
    """A line from left to right: `width` in em; `missing`: characters that no font has; `rtl`: it reads from right to
    left."""

    runs: tuple[GlyphRun, ...]
    width: float
    missing: str
    rtl: bool


def shaped(text: str, fonts: FontShelf, name: str, tracking: float = 0.0, base: Base = "auto") -> ShapedLine:
    """One line of text in the font `name`, with `tracking` em between letters. Raises JobError when there is no such
    font."""
    text = "".join(" " if character in "\t\r\n" else character for character in text)
    levels, own = levels_of(text, base)
    parts = _parts(text, levels, fonts, name)
    runs, at, missing = list[GlyphRun](), 0.0, ""
    for place in visual_order([part.level for part in parts]):
        part = parts[place]
        run, at = _run(part, text, at, tracking)
        runs.append(run)
        missing += part.missing
    return ShapedLine(tuple(runs), max(0.0, at - tracking) if runs else 0.0, missing, bool(own))


@dataclass(frozen=True)
class _Part:
    """A stretch of the text of one level, script and font."""

    first: int
    last: int
    level: int
    script: str
    font: Font
    missing: str


def _parts(text: str, levels: Sequence[int], fonts: FontShelf, name: str) -> list[_Part]:
    scripts = _scripts(text)
    chosen: list[tuple[Font, bool]] = []
    chains: dict[str, Sequence[Font]] = {}
    clusters = _clusters(text)
    for first, last in clusters:
        if scripts[first] not in chains:
            chains[scripts[first]] = fonts.chain(name, scripts[first])
        chain = chains[scripts[first]]
        wanted = [one for one in text[first:last] if not _is_hidden(one)]
        font = next((one for one in chain if all(one.has(character) for character in wanted)), None)
        chosen += [(font or chain[0], font is not None)] * (last - first)
    keys = [(levels[place], scripts[place], id(chosen[place][0])) for place in range(len(text))]
    parts, at = [], 0
    for (level, named, _), group in groupby(keys):
        last = at + len(list(group))
        missing = "".join(text[place] for place in range(at, last) if not chosen[place][1])
        parts.append(_Part(at, last, level, named, chosen[at][0], missing))
        at = last
    return parts


def _clusters(text: str) -> list[tuple[int, int]]:
    """Letters with the marks that belong to them."""
    starts = [
        place
        for place, character in enumerate(text)
        if place == 0
        or not (unicodedata.category(character)[0] == "M" or _is_hidden(character) or text[place - 1] == "\u200d")
    ]
    return list(zip(starts, [*starts[1:], len(text)], strict=True)) if text else []


def _is_hidden(character: str) -> bool:
    """Joiners, directions and variants: they need no glyph of their own."""
    return unicodedata.category(character) == "Cf" or "\ufe00" <= character <= "\ufe0f"


def _scripts(text: str) -> list[str]:
    """The script of every character; what several share goes with the letter before it, at the start with the first."""
    found = [script(character) for character in text]
    last = next((one for one in found if one not in _SHARED), "Latn")
    for place, one in enumerate(found):
        last = last if one in _SHARED else one
        found[place] = last
    return found


def _run(part: _Part, text: str, at: float, tracking: float) -> tuple[GlyphRun, float]:
    buffer = hb.Buffer()
    buffer.add_codepoints([ord(one) for one in text], item_offset=part.first, item_length=part.last - part.first)
    buffer.direction = "rtl" if part.level % 2 else "ltr"
    buffer.script = part.script
    buffer.cluster_level = hb.BufferClusterLevel.MONOTONE_GRAPHEMES
    # letters that are set apart are not joined to one either
    hb.shape(part.font.shaper, buffer, {"liga": False, "clig": False} if tracking else None)
    infos, places = buffer.glyph_infos, buffer.glyph_positions
    bounds = sorted({info.cluster for info in infos} | {part.last})
    ends = dict(zip(bounds, bounds[1:], strict=False))
    em, glyphs, told = part.font.em, list[Glyph](), set[int]()
    for index, (info, place) in enumerate(zip(infos, places, strict=True)):
        words = "" if info.cluster in told else text[info.cluster : ends[info.cluster]]
        told.add(info.cluster)
        last_of_cluster = index + 1 == len(infos) or infos[index + 1].cluster != info.cluster
        advance = place.x_advance / em + (tracking if last_of_cluster else 0.0)
        glyphs.append(Glyph(info.codepoint, at + place.x_offset / em, place.y_offset / em, advance, words))
        at += advance
    return GlyphRun(part.font, tuple(glyphs)), at
