"""What kind of file art is, told from its content and never from its name."""

import re
import struct
import zlib
from typing import Literal

Form = Literal["picture", "pdf", "svg", "dxf", "postscript"]
PACKED = b"\x1f\x8b\x08"
"""How a file packed with gzip begins (RFC 1952): an .svgz."""
PREVIEWED = b"\xc5\xd0\xd3\xc6"
"""How an EPS with a preview begins."""


def form_of(content: bytes) -> Form:
    """The form of art; `picture` for everything that is not vector art, readable or not."""
    head = content[:4096]
    if head.startswith(PACKED):
        return "svg" if _looks_like_svg(_unpacked_head(head)) else "picture"
    if b"%PDF-" in head[:1024]:
        return "pdf"
    if head.startswith((b"%!", b"\x04%!", PREVIEWED)):
        return "postscript"
    if head.startswith(b"AutoCAD Binary DXF") or re.match(rb"(?:\s*999\r?\n[^\n]*\n)*\s*0\r?\n\s*SECTION\b", head):
        return "dxf"
    return "svg" if _looks_like_svg(head) else "picture"


def postscript_of(content: bytes) -> bytes:
    """The program in a PostScript file, without the preview that some carry (EPS 3.0, PLRM appendix H.5.2)."""
    if not content.startswith(PREVIEWED):
        return content
    start, length = struct.unpack("<II", content[4:12].ljust(8, b"\0"))
    return content[start : start + length]


def _looks_like_svg(head: bytes) -> bool:
    text = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    return text.startswith(b"<") and (b"<svg" in head or b":svg" in head or b"<!DOCTYPE svg" in head)


def _unpacked_head(head: bytes) -> bytes:
    try:
        return zlib.decompressobj(16 + zlib.MAX_WBITS).decompress(head, 4096)
    except zlib.error:
        return b""
