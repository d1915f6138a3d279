"""Pictures as image streams of a PDF: passed through when they came as JPEG, else losslessly deflated with the filter
of PNG that suits each row (ISO 32000-1: 8.9 images, 7.4.4.4 predictors, 7.4.8 DCT; ISO/IEC 15948: 9.2 filter types,
12.8)."""

import zlib
from io import BytesIO

import numpy as np
import pikepdf
from numpy.typing import NDArray
from pikepdf import Array, Dictionary, Name
from PIL import Image, UnidentifiedImageError

from etiquette.core.artwork.raster import Picture

BAND_ROWS = 128
"""Rows are filtered in bands that fit the processor's cache."""
LEVEL, LARGE_LEVEL = 6, 4
LARGE_BYTES = 24 << 20
"""From so many bytes on a picture is deflated at a third of the time and 7 % larger (measured on a noisy one)."""
SAMPLES, SAMPLE_ROWS = 8, 16
NO_WORSE = 1.02
PNG_SIGN = b"\x89PNG\r\n\x1a\n"
PLAIN_CHUNKS = {b"IEND", b"pHYs", b"tEXt", b"iTXt", b"zTXt", b"tIME", b"eXIf"}
"""Chunks of a PNG that say nothing of its colours; its orientation (eXIf) is not followed in a PNG."""
PNG_SPACES = {0: (Name.DeviceGray, 1), 2: (Name.DeviceRGB, 3)}
LARGE_PNG_BYTES = 4 << 20
SPACES = {"L": (Name.DeviceGray, 1), "RGB": (Name.DeviceRGB, 3), "CMYK": (Name.DeviceCMYK, 4)}
PROFILE_SPACES = {1: b"GRAY", 3: b"RGB ", 4: b"CMYK"}
UPRIGHT = 1
"""EXIF orientation of a picture that is stored as it is seen."""
EXIF_ORIENTATION = 0x0112
APP14, START_OF_FRAME, START_OF_SCAN = 0xEE, 0xC0, 0xDA
"""Markers of a JPEG (ITU-T T.81, table B.1)."""


def picture_stream(pdf: pikepdf.Pdf, picture: Picture, source: bytes | None = None) -> pikepdf.Object:
    """An image of `picture`, its transparency as a soft mask. `source`, the file it was read from, goes in as it is
    when it is a JPEG or a plain PNG that a PDF can hold; other files in their own inks or with a colour profile keep
    both, losslessly."""
    ways = (_passed_through, _plain_png, _in_own_colours)
    passed = next((made for way in ways if (made := way(pdf, source))), None) if source else None
    if passed is not None:
        return passed
    image = deflated(pdf, picture.pixels[..., :3], Name.DeviceRGB)
    if picture.has_transparency:
        image.SMask = deflated(pdf, picture.pixels[..., 3:], Name.DeviceGray)
    return image


def _passed_through(pdf: pikepdf.Pdf, source: bytes) -> pikepdf.Object | None:
    try:
        with Image.open(BytesIO(source), formats=["JPEG"]) as image:
            if image.mode not in SPACES or image.getexif().get(EXIF_ORIENTATION, UPRIGHT) != UPRIGHT:
                return None
            (space, channels), profile = SPACES[image.mode], image.info.get("icc_profile")
            inverted = image.mode == "CMYK" and _says_inverted(source)
            size = image.size
    except (UnidentifiedImageError, OSError):
        return None
    stream = pikepdf.Stream(pdf, source)
    held = _colour_space(pdf, space, channels, profile)
    stream.stream_dict.update(
        Dictionary(
            Type=Name.XObject,
            Subtype=Name.Image,
            Width=size[0],
            Height=size[1],
            BitsPerComponent=8,
            ColorSpace=held,
            Filter=Name.DCTDecode,
        )
    )
    if inverted:
        stream.Decode = Array([1, 0] * 4)
    return pdf.make_indirect(stream)


def _plain_png(pdf: pikepdf.Pdf, source: bytes) -> pikepdf.Object | None:
    """The rows of a large PNG as they lie in it, filtered and deflated: what a PDF's predictors are made for (ISO
    32000-1, 7.4.4.4). Of 8 bits, RGB or grey, not interlaced, with nothing that says what its colours or its clear
    parts are; None for any other, and for small ones, which are squeezed better here."""
    if not source.startswith(PNG_SIGN) or len(source) < LARGE_PNG_BYTES:
        return None
    at, rows, header = len(PNG_SIGN), [], b""
    while at + 12 <= len(source):
        length, kind = int.from_bytes(source[at : at + 4], "big"), source[at + 4 : at + 8]
        held = source[at + 8 : at + 8 + length]
        if kind == b"IHDR":
            header = held
        elif kind == b"IDAT":
            rows.append(held)
        elif kind not in PLAIN_CHUNKS:
            return None
        at += 12 + length
    depth, colour, *_, interlaced = header[8:13] if len(header) == 13 else (0, 0, 0)
    if depth != 8 or colour not in PNG_SPACES or interlaced or not rows:
        return None
    space, channels = PNG_SPACES[colour]
    width, height = (int.from_bytes(header[start : start + 4], "big") for start in (0, 4))
    return _image(pdf, b"".join(rows), (width, height), channels, space)


def _in_own_colours(pdf: pikepdf.Pdf, source: bytes) -> pikepdf.Object | None:
    """A PNG or TIFF of 8 bits that has a colour profile or is in CMYK, as it was sent; None for any other."""
    try:
        with Image.open(BytesIO(source), formats=["PNG", "TIFF"]) as image:
            profile, mode = image.info.get("icc_profile"), image.mode
            plain = mode.removesuffix("A")
            if plain not in SPACES or (not profile and plain != "CMYK"):
                return None
            if image.getexif().get(EXIF_ORIENTATION, UPRIGHT) != UPRIGHT:
                return None
            pixels = np.asarray(image)
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError):
        return None
    space, channels = SPACES[plain]
    pixels = pixels.reshape(*pixels.shape[:2], -1)
    made = deflated(pdf, pixels[..., :channels], _colour_space(pdf, space, channels, profile))
    if mode != plain:
        made.SMask = deflated(pdf, pixels[..., channels:], Name.DeviceGray)
    return made


def _colour_space(pdf: pikepdf.Pdf, space: Name, channels: int, profile: bytes | None) -> pikepdf.Object:
    """`space`, or the profile when it is one of that many inks (ICC.1:2010, 7.2.6: the colour space of the data)."""
    if not profile or profile[16:20] != PROFILE_SPACES[channels]:
        return space
    return Array([Name.ICCBased, pdf.make_stream(profile, N=channels, Alternate=space)])


def _says_inverted(jpeg: bytes) -> bool:
    """Whether a CMYK file has the segment APP14 before its pixels: writers that put it there store the inks inverted
    (common practice, no published source)."""
    at = 2
    while at + 4 <= len(jpeg) and jpeg[at] == 0xFF and jpeg[at + 1] not in (START_OF_SCAN, START_OF_FRAME):
        if jpeg[at + 1] == APP14:
            return True
        at += 2 + int.from_bytes(jpeg[at + 2 : at + 4], "big")
    return False


def deflated(pdf: pikepdf.Pdf, pixels: NDArray[np.uint8], space: pikepdf.Object) -> pikepdf.Object:
    """An image stream of (h, w, channels) uint8."""
    height, width, channels = pixels.shape
    return _image(pdf, _squeezed(filtered_rows(pixels)), (width, height), channels, space)


def _image(
    pdf: pikepdf.Pdf, rows: bytes, size: tuple[int, int], channels: int, space: pikepdf.Object
) -> pikepdf.Object:
    """An image stream of filtered and deflated `rows`."""
    width, height = size
    stream = pikepdf.Stream(pdf, rows)
    stream.stream_dict.update(
        Dictionary(
            Type=Name.XObject,
            Subtype=Name.Image,
            Width=width,
            Height=height,
            BitsPerComponent=8,
            ColorSpace=space,
            Filter=Name.FlateDecode,
            DecodeParms=Dictionary(Predictor=15, Colors=channels, BitsPerComponent=8, Columns=width),
        )
    )
    return pdf.make_indirect(stream)


def _squeezed(rows: NDArray[np.uint8]) -> bytes:
    """Deflated: noise, where looking for repeats finds nothing, by runs and codes alone, which takes a tenth of the
    time."""
    starts = np.linspace(0, max(0, len(rows) - SAMPLE_ROWS), SAMPLES).astype(int)
    sample = np.concatenate([rows[start : start + SAMPLE_ROWS] for start in starts])
    fast = len(_deflate(sample, zlib.Z_RLE)) <= NO_WORSE * len(_deflate(sample, zlib.Z_FILTERED))
    return _deflate(rows, zlib.Z_RLE if fast else zlib.Z_FILTERED)


def _deflate(rows: NDArray[np.uint8], strategy: int) -> bytes:
    squeeze = zlib.compressobj(LARGE_LEVEL if rows.size > LARGE_BYTES else LEVEL, strategy=strategy)
    return squeeze.compress(rows.tobytes()) + squeeze.flush()


def filtered_rows(pixels: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """(h, 1 + w·channels): every row behind the number of its filter, the one whose bytes, taken as signed, are
    smallest in sum (the heuristic of ISO/IEC 15948, 12.8)."""
    height, _, channels = pixels.shape
    rows = np.ascontiguousarray(pixels).reshape(height, -1)
    out = np.empty((height, rows.shape[1] + 1), dtype=np.uint8)
    for top in range(0, height, BAND_ROWS):
        here = rows[top : top + BAND_ROWS]
        above = np.zeros_like(here)
        above[1:] = here[:-1]
        if top:
            above[0] = rows[top - 1]
        left = np.zeros_like(here)
        left[:, channels:] = here[:, :-channels]
        mean = ((left.astype(np.uint16) + above) >> 1).astype(np.uint8)
        choices = [here, here - left, here - above, here - mean, here - _paeth(left, above, channels)]
        sums = np.array([np.abs(one.view(np.int8).astype(np.int16)).sum(axis=1, dtype=np.int64) for one in choices])
        best = sums.argmin(axis=0)
        out[top : top + len(here), 0] = best
        for number, one in enumerate(choices):
            out[top : top + len(here), 1:][best == number] = one[best == number]
    return out


def _paeth(left: NDArray[np.uint8], above: NDArray[np.uint8], channels: int) -> NDArray[np.uint8]:
    """Whichever of left, above and upper left is nearest to left + above - upper left."""
    corner = np.zeros_like(above)
    corner[:, channels:] = above[:, :-channels]
    a, b, c = left.astype(np.int16), above.astype(np.int16), corner.astype(np.int16)
    to_left, to_above, to_corner = np.abs(b - c), np.abs(a - c), np.abs(a + b - 2 * c)
    first = (to_left <= to_above) & (to_left <= to_corner)
    return np.where(first, left, np.where(to_above <= to_corner, above, corner))
