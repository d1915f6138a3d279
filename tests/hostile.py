"""Damaged and hostile art, made by code: truncated, mislabelled, bombs, loops, nonsense numbers, outside references."""

import gzip
import random
import struct
import zipfile
import zlib
from collections.abc import Iterator
from io import BytesIO

import numpy as np
import pikepdf
from pikepdf import Array, Dictionary, Name
from PIL import Image

from tests.vector_art import SLEEVE_SVG, add_page, box_dxf, label_pdf, saved

SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="50mm" height="50mm" '
    'viewBox="0 0 50 50">'
)


def hostile() -> list[tuple[str, bytes]]:
    """(name, content) of every file."""
    return [*pictures(), *others(), *pdfs(), *svgs(), *dxfs()]


def chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def png(width: int, height: int, data: bytes | None = None, colour: int = 0, *more: bytes) -> bytes:
    header = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, colour, 0, 0, 0))
    body = data if data is not None else deflated(bytes(width + 1), height)
    return b"\x89PNG\r\n\x1a\n" + header + b"".join(more) + chunk(b"IDAT", body) + chunk(b"IEND", b"")


def image(form: str, **more: object) -> bytes:
    noise = np.random.default_rng(1).integers(0, 255, (120, 160, 3), dtype=np.uint8)
    out = BytesIO()
    Image.fromarray(noise).save(out, form, **more)
    return out.getvalue()


def pictures() -> Iterator[tuple[str, bytes]]:
    whole, jpeg, tiff = image("PNG"), image("JPEG"), image("TIFF")
    for share in (0.02, 0.3, 0.7, 0.99):
        yield f"cut at {share:.0%}.png", whole[: int(len(whole) * share)]
        yield f"cut at {share:.0%}.jpg", jpeg[: int(len(jpeg) * share)]
        yield f"cut at {share:.0%}.tif", tiff[: int(len(tiff) * share)]
    yield "empty.png", b""
    yield "one byte.png", b"\x89"
    yield "signature only.png", whole[:8]
    yield "checksum.png", whole[:29] + b"\0\0\0\0" + whole[33:]
    yield "nothing wide.png", png(0, 40)
    yield "400 million pixels.png", png(20_000, 20_000, b"x")
    yield "four billion wide.png", png(0x7FFFFFFF, 0x7FFFFFFF, b"x")
    yield "less data than told.png", png(3000, 3000, zlib.compress(bytes(100)))
    yield "bomb of 196 million pixels.png", png(14_000, 14_000)
    yield (
        "bomb in a text.png",
        png(40, 40, None, 0, chunk(b"zTXt", b"Comment\0\0" + deflated(bytes(1 << 20), 200))),
    )
    yield (
        "profile of nonsense.png",
        png(40, 40, None, 0, chunk(b"iCCP", b"p\0\0" + zlib.compress(b"not a profile" * 9))),
    )
    yield "wrong filter.png", png(40, 40, zlib.compress(b"\x09" * 41 * 40))
    yield "jpeg called png.png", jpeg
    broken = bytearray(jpeg)
    broken[100:160] = bytes(60)
    yield "tables gone.jpg", bytes(broken)
    size = jpeg.index(b"\xff\xc0")
    yield "65535 square.jpg", jpeg[: size + 5] + b"\xff\xff\xff\xff" + jpeg[size + 9 :]
    looped = bytearray(tiff)
    start = struct.unpack("<I", tiff[4:8])[0]
    entries = struct.unpack("<H", tiff[start : start + 2])[0]
    looped[start + 2 + 12 * entries : start + 6 + 12 * entries] = struct.pack("<I", start)
    yield "directory of itself.tif", bytes(looped)
    huge = bytearray(tiff)
    for n in range(entries):
        at = start + 2 + 12 * n
        if struct.unpack("<H", tiff[at : at + 2])[0] in (256, 257):
            huge[at + 8 : at + 12] = struct.pack("<I", 0x7FFFFFF0)
    yield "two billion wide.tif", bytes(huge)


def others() -> Iterator[tuple[str, bytes]]:
    for seed in range(4):
        yield f"noise {seed}.png", random.Random(seed).randbytes(5000)
    for form in ("GIF", "BMP", "WEBP", "ICO"):
        yield f"a {form}.png", image(form) if form != "ICO" else b"\0\0\1\0\1\0" + bytes(40)
    archive = BytesIO()
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr("zeros", bytes(50 << 20))
    yield "archive.pdf", archive.getvalue()
    yield "compressed.svg", gzip.compress(SLEEVE_SVG)
    yield "page.svg", b"<!DOCTYPE html><html><body><svg></body></html>"
    yield "program.dxf", b"\x7fELF" + bytes(900)
    yield "text.pdf", b"Dear printer, please find our label attached."


def deflated(part: bytes, times: int, level: int = 6) -> bytes:
    """`part` said `times` over, compressed (zlib, RFC 1950), without ever holding it or packing more than one part:
    after a full flush every part is packed into the same bytes."""
    packer = zlib.compressobj(level, zlib.DEFLATED, -15)
    packed = packer.compress(part) + packer.flush(zlib.Z_FULL_FLUSH)
    end = zlib.compressobj(level, zlib.DEFLATED, -15).flush()
    check = 1
    for _ in range(times):
        check = zlib.adler32(part, check)
    return b"\x78\x9c" + packed * times + end + struct.pack(">I", check)


def stream_pdf(content: bytes, resources: Dictionary | None = None, packed: bool = False, **more: object) -> bytes:
    pdf = pikepdf.new()
    add_page(pdf, (50, 50), "", resources or Dictionary(), **more)
    pdf.pages[0].Contents = pdf.make_stream(content, **({"Filter": Name.FlateDecode} if packed else {}))
    return saved(pdf)


def pdfs() -> Iterator[tuple[str, bytes]]:
    whole = label_pdf()
    for share in (0.1, 0.5, 0.9):
        yield f"cut at {share:.0%}.pdf", whole[: int(len(whole) * share)]
    yield "header only.pdf", b"%PDF-1.7\n"
    yield (
        "no pages.pdf",
        b"%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj\n2 0 obj<</Type/Pages/Kids[]/Count "
        b"0>>endobj\ntrailer<</Root 1 0 R>>",
    )
    yield (
        "page tree of itself.pdf",
        b"%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj\n2 0 obj<</Type/Pages/Kids[2 0 R 2 0 R]/Count "
        b"9>>endobj\ntrailer<</Root 1 0 R>>",
    )
    for box in ("[0 0 0 0]", "[0 0 1e9 1e9]", "[10 10 10 900]", "[a b c d]", "[0 0 nan 5]", "[]"):
        yield (
            f"media box {box}.pdf",
            "%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj\n2 0 obj<</Type/Pages/Kids[3 0 R]/Count "
            f"1>>endobj\n3 0 obj<</Type/Page/Parent 2 0 R/MediaBox{box}>>endobj\ntrailer<</Root 1 0 R>>".encode(),
        )
    for words in (
        "nan 0 m 5 5 l S",
        "1e999 0 m 5 5 l S",
        "/Name 0 m 5 5 l S",
        "0 m l S",
        "(text) w 0 0 m 9 9 l S",
        "1 0 0 1 cm",
        "0 0 0 0 0 0 cm 0 0 m 9 9 l S",
        "9 9 l S",
        "Q Q Q 0 0 m 9 9 l S",
        "BI /W 9 ID xx EI Q",
        "/Gone Do /Gone gs /Gone cs 1 scn f",
        "<< << [ ( (",
        "1 2 3 4 5 6 7 8 rg",
    ):
        yield f"operators {words[:18].replace('/', '')}.pdf", stream_pdf(words.encode())
    yield "a million paths.pdf", stream_pdf(b"0 0 m 9 9 l S\n" * 1_000_000)
    yield "a million saves.pdf", stream_pdf(b"q " * 1_000_000)
    yield "a million layers.pdf", stream_pdf(b"/OC /X BDC " * 300_000)
    yield "one path of a million points.pdf", stream_pdf(b"0 0 m " + b"9 9 l " * 1_000_000 + b"f")
    yield "600 MB of commands.pdf", stream_pdf(deflated(b"0 0 m 9 9 l S\n" * 43_000, 1000), packed=True)
    yield "turned by 45.pdf", stream_pdf(b"0 0 9 9 re f", Rotate=45)
    yield "unit of a billion.pdf", stream_pdf(b"0 0 9 9 re f", UserUnit=1e9)
    yield (
        "spaces of nonsense.pdf",
        stream_pdf(
            b"/A cs 1 scn 0 0 9 9 re f /B cs 1 scn 0 0 9 9 re f",
            Dictionary(ColorSpace=Dictionary(A=Array([Name.Separation]), B=Array([]))),
        ),
    )
    pdf = pikepdf.new()
    loop = pdf.make_stream(b"/Self Do")
    loop.stream_dict.update(Dictionary(Type=Name.XObject, Subtype=Name.Form, BBox=[0, 0, 99, 99]))
    loop = pdf.make_indirect(loop)
    loop.stream_dict.Resources = Dictionary(XObject=Dictionary(Self=loop))
    add_page(pdf, (50, 50), "/Self Do", Dictionary(XObject=Dictionary(Self=loop)))
    yield "form of itself.pdf", saved(pdf)
    pdf = pikepdf.new()
    inner = None
    for _ in range(30):
        form = pdf.make_stream(b"/In Do " * 4 if inner is not None else b"0 0 m 9 9 l S")
        form.stream_dict.update(Dictionary(Type=Name.XObject, Subtype=Name.Form, BBox=[0, 0, 99, 99]))
        if inner is not None:
            form.stream_dict.Resources = Dictionary(XObject=Dictionary(In=inner))
        inner = pdf.make_indirect(form)
    add_page(pdf, (50, 50), "/In Do", Dictionary(XObject=Dictionary(In=inner)))
    yield "forms of four forms, thirty deep.pdf", saved(pdf)
    pdf = pikepdf.new()
    add_page(pdf, (50, 50), "0 0 9 9 re f", Dictionary())
    pdf.Root.OpenAction = Dictionary(S=Name.JavaScript, JS="while(true){}")
    pdf.Root.AA = Dictionary(WC=Dictionary(S=Name.Launch, F="/bin/sh"))
    yield "script and launch.pdf", saved(pdf)
    pdf = pikepdf.new()
    for _ in range(300):
        add_page(pdf, (50, 50), "0 0 9 9 re f", Dictionary())
    yield "300 pages.pdf", saved(pdf)
    locked = BytesIO()
    pikepdf.open(BytesIO(label_pdf())).save(locked, encryption=pikepdf.Encryption(owner="o", user="u"))
    yield "locked.pdf", locked.getvalue()


def svgs() -> Iterator[tuple[str, bytes]]:
    for share in (0.2, 0.6, 0.98):
        yield f"cut at {share:.0%}.svg", SLEEVE_SVG[: int(len(SLEEVE_SVG) * share)]
    laughs = "".join(f'<!ENTITY l{n} "{f"&l{n - 1};" * 10}">' for n in range(1, 10))
    yield "entity bomb.svg", f'<!DOCTYPE svg [<!ENTITY l0 "ha">{laughs}]>{SVG}<text>&l9;</text></svg>'.encode()
    yield (
        "entity of a file.svg",
        f'<!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]>{SVG}<text>&x;</text></svg>'.encode(),
    )
    yield (
        "entities outside.svg",
        f'<!DOCTYPE svg SYSTEM "http://127.0.0.1:9/x.dtd">{SVG}<rect width="9" height="9"/></svg>'.encode(),
    )
    yield (
        "picture outside.svg",
        f'{SVG}<image width="9" height="9" xlink:href="http://127.0.0.1:9/a.png"/><rect width="9" '
        'height="9"/></svg>'.encode(),
    )
    yield (
        "picture of a file.svg",
        f'{SVG}<image width="9" height="9" href="file:///etc/passwd"/><rect width="9" height="9"/></svg>'.encode(),
    )
    yield (
        "style outside.svg",
        f'{SVG}<style>@import url("http://127.0.0.1:9/a.css"); rect {{ fill: url(file:///etc/passwd) }}</style><rect '
        'width="9" height="9"/></svg>'.encode(),
    )
    yield "script.svg", f'{SVG}<script>while(true);</script><rect width="9" height="9" onload="x()"/></svg>'.encode()
    yield (
        "page inside.svg",
        f'{SVG}<foreignObject><body xmlns="http://www.w3.org/1999/xhtml"/></foreignObject></svg>'.encode(),
    )
    yield "use of itself.svg", f'{SVG}<g id="a"><use xlink:href="#a"/></g></svg>'.encode()
    yield (
        "uses of each other.svg",
        f'{SVG}<defs><g id="a"><use href="#b"/></g><g id="b"><use href="#a"/></g></defs><use '
        'href="#a"/></svg>'.encode(),
    )
    yield (
        "use of its own parent.svg",
        f'{SVG}<g id="a"><g id="b"><use href="#a"/><rect width="9" height="9"/></g></g><use href="#b"/></svg>'.encode(),
    )
    doubling = "".join(
        f'<g id="u{n}">{f"<use href=&quot;#u{n - 1}&quot;/>".replace("&quot;", chr(34)) * 8}</g>' for n in range(1, 12)
    )
    yield (
        "uses of eight uses.svg",
        f'{SVG}<defs><g id="u0"><rect width="1" height="1"/></g>{doubling}</defs><use href="#u11"/></svg>'.encode(),
    )
    yield "100 000 groups deep.svg", (SVG + "<g>" * 100_000 + "</g>" * 100_000 + "</svg>").encode()
    yield "a million paths.svg", (SVG + '<path d="M0 0L9 9"/>' * 1_000_000 + "</svg>").encode()
    yield "path of a million points.svg", (SVG + '<path d="M0 0' + "L9 9" * 1_000_000 + '"/></svg>').encode()
    for data in (
        "Mnan 0L9 9",
        "M1e999 0L9 9",
        "M0 0A1e308 1e308 0 0 1 9 9",
        "MLQ",
        "M0 0C1 1",
        "Z" * 1000,
        "M0 0" + "z" * 5,
    ):
        yield f"path {data[:14].replace('/', '')}.svg", f'{SVG}<path d="{data}" stroke="red"/></svg>'.encode()
    for size in (
        'width="1e300mm" height="1mm"',
        'width="0" height="0"',
        'width="-5mm" height="5mm"',
        'width="abc"',
        'viewBox="0 0 0 0"',
        'viewBox="a b c d"',
        'viewBox="0 0 1e-300 1"',
    ):
        yield (
            f"size {size}.svg".replace('"', ""),
            f'<svg xmlns="http://www.w3.org/2000/svg" {size}><rect width="9" height="9"/></svg>'.encode(),
        )
    yield (
        "transform of nonsense.svg",
        f'{SVG}<g transform="matrix(a b) rotate(1e999) scale(0)"><rect width="9" height="9"/></g></svg>'.encode(),
    )
    yield (
        "huge blur.svg",
        f'{SVG}<filter id="f"><feGaussianBlur stdDeviation="99999"/><feMorphology radius="9999"/></filter><rect '
        'width="49" height="49" filter="url(#f)"/></svg>'.encode(),
    )
    yield (
        "patterns of themselves.svg",
        f'{SVG}<pattern id="p" width="1" height="1"><rect width="1" height="1" fill="url(#p)"/></pattern><rect '
        'width="40" height="40" fill="url(#p)"/></svg>'.encode(),
    )
    yield (
        "gradients of themselves.svg",
        f'{SVG}<linearGradient id="g" xlink:href="#g"/><rect width="40" height="40" fill="url(#g)"/></svg>'.encode(),
    )
    yield "not unicode.svg", SVG.encode() + b"<text>\xff\xfe\xfa</text></svg>"


def dxfs() -> Iterator[tuple[str, bytes]]:
    whole = box_dxf()
    for share in (0.1, 0.5, 0.95):
        yield f"cut at {share:.0%}.dxf", whole[: int(len(whole) * share)]
    yield "binary.dxf", b"AutoCAD Binary DXF\r\n\x1a\0" + random.Random(1).randbytes(4000)
    text = box_dxf("R12").decode()
    yield "a block of itself.dxf", text.replace("CIRCLE", "INSERT", 1).encode()
    yield "coordinates of nonsense.dxf", text.replace("105.0", "nan").encode()
    yield "coordinates without end.dxf", text.replace("105.0", "1e300").encode()
    yield "letters for numbers.dxf", text.replace("105.0", "abc").encode()
    yield "no end.dxf", b"0\nSECTION\n2\nENTITIES\n" + b"0\nLINE\n8\n0\n10\n0\n20\n0\n11\n5\n21\n5\n" * 20
    yield "nothing in it.dxf", b"0\nSECTION\n2\nENTITIES\n0\nENDSEC\n0\nEOF\n"
    yield (
        "300 000 lines.dxf",
        b"0\nSECTION\n2\nENTITIES\n"
        + b"0\nLINE\n8\n0\n10\n0\n20\n0\n11\n5\n21\n5\n" * 300_000
        + b"0\nENDSEC\n0\nEOF\n",
    )
    rows = b"0\nSECTION\n2\nBLOCKS\n0\nBLOCK\n8\n0\n2\nA\n70\n0\n10\n0\n20\n0\n"
    rows += b"0\nLINE\n8\n0\n10\n0\n20\n0\n11\n5\n21\n5\n0\nENDBLK\n8\n0\n0\nENDSEC\n"
    yield (
        "a million copies.dxf",
        rows
        + b"0\nSECTION\n2\nENTITIES\n0\nINSERT\n8\n0\n2\nA\n10\n0\n20\n0\n"
        + b"70\n1000\n71\n1000\n44\n1\n45\n1\n0\nENDSEC\n0\nEOF\n",
    )
