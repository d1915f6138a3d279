"""What kind of file art is, told from its content and never from its name."""

import re
from typing import Literal

Form = Literal["picture", "pdf", "svg", "dxf"]


def form_of(content: bytes) -> Form:
    """The form of art; `picture` for everything that is not vector art, readable or not."""
    head = content[:4096]
    if b"%PDF-" in head[:1024]:
        return "pdf"
    if head.startswith(b"AutoCAD Binary DXF") or re.match(rb"(?:\s*999\r?\n[^\n]*\n)*\s*0\r?\n\s*SECTION\b", head):
        return "dxf"
    text = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    if text.startswith(b"<") and (b"<svg" in head or b":svg" in head or b"<!DOCTYPE svg" in head):
        return "svg"
    return "picture"
