"""Fonts as PDF embeds them: the glyphs that are used, called by their numbers (ISO 32000-1, 9.7: Type 0 fonts with
Identity-H), with what each stands for, so that the words can be found again."""

from collections.abc import Mapping
from io import BytesIO

import pikepdf
from fontTools.subset import Options, Subsetter
from fontTools.ttLib import TTFont
from pikepdf import Array, Dictionary, Name

from etiquette.core.variable.fonts import Font

_DROPPED = [
    "GSUB",
    "GPOS",
    "GDEF",
    "BASE",
    "JSTF",
    "DSIG",
    "kern",
    "name",
    "FFTM",
    "meta",
    "STAT",
    "MATH",
    "cmap",
    "OS/2",
    "PCLT",
    "post",
]
"""What shaping used already."""
_MOST_PAIRS = 100
"""Pairs in one block of a CMap (ISO 32000-1, 9.10.3)."""


def font_object(pdf: pikepdf.Pdf, font: Font, used: Mapping[int, str]) -> pikepdf.Object:
    """A font with the glyphs `used`, each with the text it stands for (empty: none)."""
    whole = TTFont(BytesIO(font.content), lazy=True)
    name, is_cff = _name(font), "CFF " in whole
    head, os2 = whole["head"], whole.get("OS/2")
    scale = 1000 / font.em
    rise, fall = font.rise
    descriptor = Dictionary(
        Type=Name.FontDescriptor,
        FontName=Name("/" + name),
        Flags=4,
        FontBBox=[round(value * scale) for value in (head.xMin, head.yMin, head.xMax, head.yMax)],
        ItalicAngle=0,
        Ascent=round(rise * 1000),
        Descent=round(-fall * 1000),
        CapHeight=round(getattr(os2, "sCapHeight", 0) * scale) or round(rise * 700),
        StemV=80,
    )
    content = _subset(font, used) if font.allows_subset else font.content
    if is_cff:
        descriptor.FontFile3 = pdf.make_stream(_cff(content), Subtype=Name.CIDFontType0C)
    else:
        descriptor.FontFile2 = pdf.make_stream(content, Length1=len(content))
    glyphs = sorted(used)
    widths = [part for one in glyphs for part in (one, Array([round(font.shaper.get_glyph_h_advance(one) * scale, 2)]))]
    inside = Dictionary(
        Type=Name.Font,
        Subtype=Name.CIDFontType0 if is_cff else Name.CIDFontType2,
        BaseFont=Name("/" + name),
        CIDSystemInfo=Dictionary(
            Registry=pikepdf.String("Etiquette"), Ordering=pikepdf.String("Identity"), Supplement=0
        ),
        FontDescriptor=pdf.make_indirect(descriptor),
        W=Array(widths),
    )
    if not is_cff:
        inside.CIDToGIDMap = Name.Identity
    whole_font = Dictionary(
        Type=Name.Font,
        Subtype=Name.Type0,
        BaseFont=Name("/" + name),
        Encoding=Name("/Identity-H"),
        DescendantFonts=Array([pdf.make_indirect(inside)]),
        ToUnicode=pdf.make_stream(_to_unicode(used)),
    )
    return pdf.make_indirect(whole_font)


def _name(font: Font) -> str:
    """A subset's name has six capital letters before it (9.6.4); the same ones each time, so that files repeat."""
    plain = "".join(one for one in font.name if one.isalnum() and one.isascii()) or "Font"
    return f"ETIQUE+{plain}" if font.allows_subset else plain


def _subset(font: Font, used: Mapping[int, str]) -> bytes:
    options = Options(retain_gids=True, notdef_outline=True, hinting=False, drop_tables=_DROPPED, layout_features=[])
    options.passthrough_tables = False
    whole = TTFont(BytesIO(font.content), lazy=True, recalcTimestamp=False)  # the same plate is the same bytes
    subsetter = Subsetter(options)
    subsetter.populate(gids=list(used))
    subsetter.subset(whole)
    out = BytesIO()
    whole.save(out)
    return out.getvalue()


def _cff(content: bytes) -> bytes:
    return bytes(TTFont(BytesIO(content), lazy=True).getTableData("CFF "))


def _to_unicode(used: Mapping[int, str]) -> bytes:
    pairs = [f"<{one:04x}> <{text.encode('utf-16-be').hex()}>" for one, text in sorted(used.items()) if text]
    blocks = [pairs[at : at + _MOST_PAIRS] for at in range(0, len(pairs), _MOST_PAIRS)]
    body = "\n".join(f"{len(block)} beginbfchar\n{chr(10).join(block)}\nendbfchar" for block in blocks)
    return (
        "/CIDInit /ProcSet findresource begin\n12 dict begin\nbegincmap\n"
        "/CIDSystemInfo << /Registry (Etiquette) /Ordering (UCS) /Supplement 0 >> def\n"
        "/CMapName /Etiquette-Identity-UCS def\n"
        f"/CMapType 2 def\n1 begincodespacerange\n<0000> <ffff>\nendcodespacerange\n{body}\n"
        "endcmap\nCMapName currentdict /CMap defineresource pop\nend\nend"
    ).encode()
