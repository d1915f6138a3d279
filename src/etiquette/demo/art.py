"""The demo's artwork, drawn by code: transparent and plain grounds, thin tails, holes, noise like a photograph."""

from collections.abc import Callable
from functools import cache
from io import BytesIO

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

from etiquette.demo.vector_art import CABIN_SIGN, bell_sleeve, maker_plate

DPI = 300
FINE = 4
"""Shapes are drawn this much larger and averaged down, so that edges are soft as a real program leaves them."""

Colour = tuple[int, int, int, int]
RED, DARK_RED, PINK = (194, 63, 90, 255), (160, 48, 74, 255), (240, 196, 204, 255)
GREEN, LIGHT_GREEN = (92, 142, 74, 255), (128, 176, 96, 255)
OCHRE, GOLD, DARK_GOLD = (226, 178, 86, 255), (198, 160, 76, 255), (150, 114, 44, 255)
BLUE, DEEP_BLUE, WHITE, INK, CREAM = (
    (140, 166, 200, 255),
    (70, 98, 140, 255),
    (255, 255, 255, 255),
    (44, 52, 60, 255),
    (244, 232, 206, 255),
)
TERRACOTTA, SAND = (210, 126, 94, 255), (230, 182, 92, 255)


class Sheet:
    """A drawing surface in millimetres, y down, drawn finer than it is kept."""

    def __init__(self, width_mm: float, height_mm: float, ground: Colour = (0, 0, 0, 0)) -> None:
        self._scale = DPI / 25.4 * FINE
        self._size = (round(width_mm * DPI / 25.4), round(height_mm * DPI / 25.4))
        self._image = Image.new("RGBA", (self._size[0] * FINE, self._size[1] * FINE), ground)
        self._draw = ImageDraw.Draw(self._image)

    def _points(self, points: list[tuple[float, float]]) -> list[tuple[float, float]]:
        return [(x * self._scale, y * self._scale) for x, y in points]

    def polygon(self, points: list[tuple[float, float]], colour: Colour) -> None:
        self._draw.polygon(self._points(points), fill=colour)

    def ellipse(self, x: float, y: float, rx: float, ry: float, colour: Colour) -> None:
        self._draw.ellipse([value * self._scale for value in (x - rx, y - ry, x + rx, y + ry)], fill=colour)

    def stroke(self, points: list[tuple[float, float]], width: float, colour: Colour) -> None:
        placed = self._points(points)
        self._draw.line(placed, fill=colour, width=round(width * self._scale), joint="curve")
        for x, y in (placed[0], placed[-1]):
            r = width * self._scale / 2
            self._draw.ellipse([x - r, y - r, x + r, y + r], fill=colour)

    def image(self) -> Image.Image:
        # averaged with colours weighted by alpha: a plain average would leave a dark rim on transparent art
        return self._image.convert("RGBa").resize(self._size, Image.Resampling.BOX).convert("RGBA")


def curve(points: list[tuple[float, float]], steps: int = 24) -> list[tuple[float, float]]:
    """A smooth closed curve through `points` (Catmull-Rom)."""
    array = np.array(points)
    count = len(array)
    result = []
    for index in range(count):
        p0, p1, p2, p3 = (array[(index + shift) % count] for shift in (-1, 0, 1, 2))
        for t in np.linspace(0, 1, steps, endpoint=False):
            result.append(
                0.5
                * (2 * p1 + (p2 - p0) * t + (2 * p0 - 5 * p1 + 4 * p2 - p3) * t**2 + (3 * p1 - p0 - 3 * p2 + p3) * t**3)
            )
    return [(float(x), float(y)) for x, y in result]


def radish() -> Image.Image:
    sheet = Sheet(40, 72)
    for turn, colour in ((-34, GREEN), (34, GREEN), (0, LIGHT_GREEN)):
        leaf = curve([(20, 30), (14.5, 20), (15, 9), (20, 3), (25, 9), (25.5, 20)])
        angle = np.radians(turn)
        turned = [
            (
                20 + (x - 20) * np.cos(angle) - (y - 32) * np.sin(angle),
                32 + (x - 20) * np.sin(angle) + (y - 32) * np.cos(angle),
            )
            for x, y in leaf
        ]
        sheet.polygon(turned, colour)
    sheet.polygon(
        curve(
            [
                (20, 29),
                (31, 29),
                (36, 38),
                (32, 48),
                (24, 56),
                (21.2, 68),
                (20, 70),
                (18.8, 68),
                (16, 56),
                (8, 48),
                (4, 38),
                (9, 29),
            ]
        ),
        RED,
    )
    sheet.polygon(curve([(33, 42), (31, 48), (24, 55), (27, 49)]), DARK_RED)
    sheet.stroke([(10, 42), (9.5, 37), (12, 33.5)], 2.2, PINK)
    return sheet.image()


def kite() -> Image.Image:
    sheet = Sheet(64, 90)
    sheet.polygon([(36, 2), (60, 30), (36, 56), (14, 28)], SAND)
    sheet.polygon([(36, 2), (36, 56), (14, 28)], TERRACOTTA)
    sheet.stroke([(36, 2), (36, 56)], 0.7, INK)
    t = np.linspace(0, 1, 60)
    tail = [(float(36 - 26 * v + 6 * np.sin(v * 11)), float(56 + 30 * v)) for v in t]
    sheet.stroke(tail, 1.1, INK)
    for share in (0.35, 0.65, 0.95):
        x, y = tail[int(share * 59)]
        sheet.polygon([(x - 3.6, y - 2.2), (x, y), (x - 3.6, y + 2.2)], BLUE)
        sheet.polygon([(x + 3.6, y - 2.2), (x, y), (x + 3.6, y + 2.2)], TERRACOTTA)
    return sheet.image()


def bell() -> Image.Image:
    sheet = Sheet(58, 60, (236, 234, 226, 255))
    sheet.polygon(curve([(29, 6), (37, 9), (42, 20), (45, 36), (49, 44), (9, 44), (13, 36), (16, 20), (21, 9)]), GOLD)
    sheet.polygon([(7, 43.5), (51, 43.5), (52, 48), (6, 48)], DARK_GOLD)
    sheet.ellipse(29, 51.5, 4, 4, (92, 64, 30, 255))
    sheet.stroke([(22, 14), (19, 34)], 1.4, (226, 200, 130, 255))
    return sheet.image()


def band() -> Image.Image:
    sheet = Sheet(150, 36)
    sheet.polygon([(1, 1), (149, 1), (141, 18), (149, 35), (1, 35), (9, 18)], BLUE)
    x = np.linspace(24, 126, 200)
    sheet.stroke([(float(v), float(18 + 4 * np.sin(v / 6))) for v in x], 2.4, WHITE)
    for place in (18.0, 132.0):
        sheet.ellipse(place, 18, 2.4, 2.4, DEEP_BLUE)
    return sheet.image()


def jar_label() -> Image.Image:
    sheet = Sheet(60, 60, (255, 255, 255, 255))
    sheet.ellipse(30, 30, 26, 26, GREEN)
    sheet.ellipse(30, 30, 23.6, 23.6, CREAM)
    sheet.polygon(
        curve([(30, 24), (37, 25), (40, 31), (36, 38), (30.5, 45), (29.5, 45), (24, 38), (20, 31), (23, 25)]), RED
    )
    sheet.polygon(curve([(30, 25), (22, 19), (19, 13), (27, 15)]), GREEN)
    sheet.polygon(curve([(30, 25), (38, 19), (41, 13), (33, 15)]), LIGHT_GREEN)
    return sheet.image()


def spark() -> Image.Image:
    sheet = Sheet(44, 44)
    angles = np.arange(16) * np.pi / 8
    radii = np.where(np.arange(16) % 2, 11.5, 20.5)
    sheet.polygon(
        [(float(22 + r * np.sin(a)), float(22 - r * np.cos(a))) for a, r in zip(angles, radii, strict=True)], OCHRE
    )
    sheet.ellipse(22, 22, 5.5, 5.5, TERRACOTTA)
    return sheet.image()


TRUE_MM = 17.0
"""Radius of the thin line of the trueing disc; its edge lies 3 mm further out."""


def trueing_disc() -> Image.Image:
    """A pale disc with a thin line where its kiss line is to lie: the bare eye sees whether the knife followed it."""
    sheet = Sheet(42, 42)
    for radius, colour in ((TRUE_MM + 3, CREAM), (TRUE_MM + 0.2, INK), (TRUE_MM - 0.2, CREAM)):
        sheet.ellipse(21, 21, radius, radius, colour)
    return sheet.image()


def serial_plate() -> Image.Image:
    """A plate with two screw holes, so that holes matter."""
    sheet = Sheet(70, 34)
    sheet.polygon(curve([(6, 2), (64, 2), (68, 6), (68, 28), (64, 32), (6, 32), (2, 28), (2, 6)], 8), INK)
    sheet.polygon([(16, 9), (54, 9), (54, 25), (16, 25)], (214, 206, 184, 255))
    for y in (13.0, 17.0, 21.0):
        sheet.stroke([(20, y), (50 - (y - 13) * 2, y)], 1.0, INK)
    for x in (9.0, 61.0):
        sheet.ellipse(x, 17, 3, 3, (0, 0, 0, 0))
    return sheet.image()


def seed_packet() -> Image.Image:
    """Like a photograph: gradients and noise inside a soft-edged outline on a plain, slightly noisy ground."""
    random = np.random.default_rng(7)
    sheet = Sheet(52, 76, (238, 240, 236, 255))
    sheet.polygon(
        curve([(8, 7), (26, 4.5), (44, 7), (46, 38), (44, 69), (26, 71.5), (8, 69), (6, 38)]), (206, 148, 96, 255)
    )
    image = sheet.image().convert("RGB").filter(ImageFilter.GaussianBlur(1.6))
    pixels = np.asarray(image, dtype=float)
    height, width, _ = pixels.shape
    y, x = np.mgrid[:height, :width]
    paper = (np.abs(pixels - (238, 240, 236)).sum(axis=2) > 60)[..., None]
    shade = 26 * np.sin(x / width * 5)[..., None] + 30 * (y / height - 0.5)[..., None]
    pixels = pixels + paper * (shade + random.normal(0, 7, pixels.shape)) + random.normal(0, 1.2, pixels.shape)
    return Image.fromarray(np.clip(pixels, 0, 255).astype(np.uint8))


DRAWINGS: dict[str, Callable[[], Image.Image]] = {
    "radish": radish,
    "kite": kite,
    "bell": bell,
    "band": band,
    "jar-label": jar_label,
    "spark": spark,
    "serial-plate": serial_plate,
    "seed-packet": seed_packet,
    "trueing-disc": trueing_disc,
}


VECTORS: dict[str, tuple[str, Callable[[], bytes]]] = {
    "cabin-sign": ("svg", lambda: CABIN_SIGN),
    "bell-sleeve": ("pdf", bell_sleeve),
    "maker-plate": ("dxf", maker_plate),
}


@cache
def art_file(name: str) -> tuple[str, bytes]:
    """(file name, content) of one drawing; the photograph as JPEG, drawings as PNG or as vectors."""
    if name in VECTORS:
        suffix, made = VECTORS[name]
        return f"{name}.{suffix}", made()
    image = DRAWINGS[name]()
    out = BytesIO()
    if image.mode == "RGB":
        image.save(out, "JPEG", quality=92, dpi=(DPI, DPI))
        return f"{name}.jpg", out.getvalue()
    image.save(out, "PNG", dpi=(DPI, DPI))
    return f"{name}.png", out.getvalue()
