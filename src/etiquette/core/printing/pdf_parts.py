"""The parts of a PDF, wherever they stand: an object of its own or inside another one."""

from collections.abc import Iterable, Iterator
from io import BytesIO
from typing import Any

import pikepdf
from pikepdf import Name

OUTLINES = ("/FontFile", "/FontFile2", "/FontFile3")


def _direct(document: pikepdf.Pdf) -> Iterator[Any]:
    """Dictionaries that stand inside others, wherever they stand: they are in no list of objects."""
    waiting: list[Any] = list(document.objects)
    while waiting:
        held = waiting.pop()
        inside = held.stream_dict if isinstance(held, pikepdf.Stream) else held
        if isinstance(inside, pikepdf.Dictionary):
            parts = [value for key, value in inside.items() if key != "/Parent"]
        elif isinstance(inside, pikepdf.Array):
            parts = list(inside)
        else:
            continue
        for part in parts:
            if isinstance(part, pikepdf.Dictionary | pikepdf.Array) and not part.is_indirect:
                waiting.append(part)
                yield part


def objects_of(document: pikepdf.Pdf) -> Iterator[Any]:
    """Everything in a file, what stands inside other things as well."""
    yield from document.objects
    yield from _direct(document)


def resources_of(document: pikepdf.Pdf) -> Iterator[Any]:
    """What every page, form, pattern and drawn font of a file names (ISO 32000-1, 7.8.3)."""
    for held in objects_of(document):
        inside = held.stream_dict if isinstance(held, pikepdf.Stream) else held
        if isinstance(inside, pikepdf.Dictionary) and isinstance(inside.get("/Resources"), pikepdf.Dictionary):
            yield inside.Resources


def named_in(resources: Any, group: str) -> list[Any]:
    """The things of one group of resources."""
    held = resources.get(group)
    return list(held.values()) if isinstance(held, pikepdf.Dictionary) else []


def _fonts(document: pikepdf.Pdf) -> Iterator[Any]:
    for resources in resources_of(document):
        for font in named_in(resources, "/Font"):
            yield font
            yield from font.get("/DescendantFonts", [])


def _not_in_file(font: Any) -> str:
    """The name of a font whose outlines are not in the file; empty: they are, or those of its descendant are asked."""
    if font.get("/Subtype") in (Name.Type0, Name.Type3):
        return ""
    described = font.get("/FontDescriptor")
    if described is not None and any(key in described for key in OUTLINES):
        return ""
    return str(font.get("/BaseFont", "a font")).removeprefix("/")


def fonts_not_in_file(document: pikepdf.Pdf) -> list[str]:
    """The names of fonts whose outlines a reader has to have itself."""
    return sorted({name for font in _fonts(document) if (name := _not_in_file(font))})


def with_fonts_replaced(document: pikepdf.Pdf, names: Iterable[str]) -> bytes:
    """The document, with a note on each page of the fonts that another one stands in for, which nothing else in it
    shows: Ghostscript even holds the substitute under the name that was asked for (page-piece dictionaries,
    ISO 32000-1, 14.5)."""
    made = document.docinfo.get(Name.ModDate, pikepdf.String(""))
    for page in document.pages:
        noted = pikepdf.Dictionary(Replaced=pikepdf.Array(pikepdf.String(name) for name in sorted(set(names))))
        page.obj.PieceInfo = pikepdf.Dictionary(Etiquette=pikepdf.Dictionary(LastModified=made, Private=noted))
    out = BytesIO()
    document.save(out, deterministic_id=True)
    return out.getvalue()


def fonts_replaced(document: pikepdf.Pdf) -> list[str]:
    """The names that `with_fonts_replaced` noted; what else stands at that place is another program's."""
    names: set[str] = set()
    for page in document.pages:
        held: Any = page.obj
        for key in (Name.PieceInfo, Name.Etiquette, Name.Private, Name.Replaced):
            held = held.get(key) if isinstance(held, pikepdf.Dictionary) else None
        names |= {str(name) for name in held} if isinstance(held, pikepdf.Array) else set()
    return sorted(names)


def is_see_through(document: pikepdf.Pdf) -> bool:
    """Whether anything in it lets what is under it through: by a graphics state, a way of blending or a soft mask."""
    states = [state for resources in resources_of(document) for state in named_in(resources, "/ExtGState")]
    masks = any(isinstance(one, pikepdf.Stream) and "/SMask" in one for one in document.objects)
    return (
        masks
        or any(float(one.get(key, 1)) < 1 for one in states for key in ("/ca", "/CA"))
        or any(str(one.get("/BM", "/Normal")) != "/Normal" for one in states)
    )
