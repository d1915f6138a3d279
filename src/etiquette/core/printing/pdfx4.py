"""A plate as PDF/X-4 (ISO 15930-7:2010): what the standard asks for is written, what it forbids is taken out where that
changes nothing in print, and what cannot be mended is said."""

import hashlib
import uuid
from datetime import datetime
from io import BytesIO
from typing import Any

import pikepdf
from pikepdf import Array, Dictionary, Name

from etiquette.core.errors import JobError
from etiquette.core.printing.pdf_parts import fonts_not_in_file, named_in, objects_of, resources_of
from etiquette.core.printing.plates import srgb_profile

VERSION = "PDF/X-4"
PDFX_VERSION = "{http://www.npes.org/pdfx/ns/id/}GTS_PDFXVersion"
"""ISO 15930-7, 6.10; the other names in the metadata are those of ISO 16684-1."""
NOT_IN_STATES = ("/TR", "/HTP", "/UseBlackPtComp")
NOT_IN_PICTURES = ("/Alternates", "/OPI")
NOT_IN_FORMS = ("/OPI", "/PS", "/Ref", "/Subtype2")
NOT_IN_THE_CATALOG = ("/AA", "/OpenAction", "/Names", "/AcroForm", "/Requirements", "/Collection")


def as_pdfx4(pdf: bytes, title: str, made: datetime) -> bytes:
    """The plate in `pdf`, which has an output intent, as PDF/X-4. The same plate, title and moment give the same file.
    Raises JobError: the intent is not for CMYK, a font is not in the file, the page is too long."""
    with pikepdf.open(BytesIO(pdf)) as document:
        _refuse(document, title)
        screen = document.make_indirect(
            Array([Name.ICCBased, document.make_stream(srgb_profile(), N=3, Alternate=Name.DeviceRGB)])
        )
        for held in list(objects_of(document)):
            _mended(held, screen)
        for resources in list(resources_of(document)):
            _mended_resources(resources, screen)
        for key in NOT_IN_THE_CATALOG:
            if key in document.Root:
                del document.Root[key]
        _described(document, pdf, title, made)
        out = BytesIO()
        document.save(out, force_version="1.6", deterministic_id=True, fix_metadata_version=False)
        return out.getvalue()


def _refuse(document: pikepdf.Pdf, title: str) -> None:
    intents = document.Root.get("/OutputIntents", [])
    if not len(intents) or int(intents[0].DestOutputProfile.get("/N", 0)) != 4:
        raise JobError(
            "PDF/X-4 names the inks it is printed with, and this run has no CMYK profile.",
            title,
            "Choose a mode with the profile of its stock, or save plain PDF.",
        )
    if float(document.pages[0].get("/UserUnit", 1)) != 1:
        raise JobError(
            "The frame is longer than a page of PDF/X-4 can be, 5.08 m.",
            title,
            "Make frames shorter, or save plain PDF.",
        )
    missing = fonts_not_in_file(document)
    if missing:
        raise JobError(
            f"PDF/X-4 holds its fonts, and {', '.join(missing[:3])} is not in the art.",
            title,
            "Have the text sent as outlines or with its fonts, or save plain PDF.",
        )


def _mended(held: Any, screen: Any) -> None:
    """What the standard forbids in this object is taken out."""
    inside = held.stream_dict if isinstance(held, pikepdf.Stream) else held
    if not isinstance(inside, pikepdf.Dictionary):
        return
    if isinstance(held, pikepdf.Stream):
        _mended_stream(held)
    group = inside.get("/Group")
    if isinstance(group, pikepdf.Dictionary) and group.get("/CS") == Name.DeviceRGB:
        group.CS = screen


def _mended_resources(resources: Any, screen: Any) -> None:
    for state in named_in(resources, "/ExtGState"):
        _without(state, NOT_IN_STATES)
        if "/TR2" in state and state.get("/TR2") != Name.Default:
            del state["/TR2"]
    spaces = resources.get("/ColorSpace")
    if not isinstance(spaces, pikepdf.Dictionary):
        spaces = resources.ColorSpace = Dictionary()
    if "/DefaultRGB" not in spaces:
        spaces.DefaultRGB = screen


def _mended_stream(held: Any) -> None:
    if held.get("/Subtype") == Name.Image:
        _without(held, NOT_IN_PICTURES)
    elif held.get("/Subtype") == Name.Form:
        _without(held, NOT_IN_FORMS)
    if Name.LZWDecode in (_list(held.get("/Filter"))):
        held.write(held.read_bytes())


def _list(value: Any) -> list[Any]:
    return list(value) if isinstance(value, pikepdf.Array) else [value]


def _without(held: Any, keys: tuple[str, ...]) -> None:
    for key in keys:
        if key in held:
            del held[key]


def _described(document: pikepdf.Pdf, pdf: bytes, title: str, made: datetime) -> None:
    """6.10: what the file says of itself, in XMP and, where readers still look for it, in the document information."""
    moment = made.strftime("%Y-%m-%dT%H:%M:%SZ")
    number = uuid.uuid5(uuid.NAMESPACE_OID, hashlib.sha256(pdf).hexdigest())
    with document.open_metadata(set_pikepdf_as_editor=False, update_docinfo=False) as meta:
        meta["dc:title"] = title
        meta[PDFX_VERSION] = VERSION
        meta["pdf:Trapped"] = "False"
        for moment_of in ("CreateDate", "ModifyDate", "MetadataDate"):
            meta[f"xmp:{moment_of}"] = moment
        meta["xmpMM:DocumentID"] = f"uuid:{number}"
        meta["xmpMM:VersionID"] = "1"
        meta["xmpMM:RenditionClass"] = "default"
    document.docinfo["/Title"] = title
    document.docinfo["/Trapped"] = Name("/False")
    document.docinfo["/GTS_PDFXVersion"] = VERSION
    for key in ("/CreationDate", "/ModDate"):
        document.docinfo[key] = made.strftime("D:%Y%m%d%H%M%SZ")
