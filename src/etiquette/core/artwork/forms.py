"""What kind of file art is, told from its content and never from its name."""

import re
import zlib
from typing import Literal

Form = Literal["picture", "pdf", "svg", "dxf"]
PACKED = b"\x1f\x8b\x08"
"""How a file packed with gzip begins (RFC 1952): an .svgz."""


def form_of(content: bytes) -> Form:
    """The form of art; `picture` for everything that is not vector art, readable or not."""
    head = content[:4096]
    if head.startswith(PACKED):
        return "svg" if _looks_like_svg(_unpacked_head(head)) else "picture"
    if b"%PDF-" in head[:1024]:
        return "pdf"
    if head.startswith(b"AutoCAD Binary DXF") or re.match(rb"(?:\s*999\r?\n[^\n]*\n)*\s*0\r?\n\s*SECTION\b", head):
        return "dxf"
    return "svg" if _looks_like_svg(head) else "picture"


def _looks_like_svg(head: bytes) -> bool:
    text = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    return text.startswith(b"<") and (b"<svg" in head or b":svg" in head or b"<!DOCTYPE svg" in head)


def _unpacked_head(head: bytes) -> bytes:
    try:
        return zlib.decompressobj(16 + zlib.MAX_WBITS).decompress(head, 4096)
    except zlib.error:
        return b""
