"""What is seen of drawings that librsvg makes into pages, against the opacity that librsvg itself draws of them
(source: librsvg 2, as Debian packages it)."""

from base64 import b64encode
from io import BytesIO
from pathlib import Path

import cv2
import numpy as np
import pytest
import shapely
from PIL import Image

from etiquette.files.vectors import read_areas
from etiquette.sandbox.art import separate
from tests.pages import by_librsvg

DPI = 254
PX = DPI / 25.4
"""Pixels a millimetre."""


def star() -> str:
    """A five-pointed star with a soft rim on a transparent ground, as the address of a picture."""
    angles = np.pi / 2 + np.arange(10) * np.pi / 5
    reach = np.where(np.arange(10) % 2, 75, 190)
    points = np.column_stack([200 + reach * np.cos(angles), 200 - reach * np.sin(angles)])
    mask = cv2.fillPoly(np.zeros((400, 400), np.uint8), [np.round(points).astype(np.int32)], 255)
    pixels = np.dstack([np.full((400, 400), 40, np.uint8)] * 3 + [cv2.GaussianBlur(mask, (0, 0), 1.5)])
    out = BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return "data:image/png;base64," + b64encode(out.getvalue()).decode()


DRAWINGS = {
    "a placed picture": f'<image x="10" y="5" width="30" height="30" href="{star()}"/>',
    "a picture turned and laid on a patch": (
        '<rect x="20" y="18" width="30" height="6" fill="#ffcc00"/>'
        f'<g transform="rotate(25 25 20)"><image x="10" y="5" width="30" height="30" href="{star()}"/></g>'
    ),
    "a blurred shadow": (
        '<filter id="f" x="-50%" y="-50%" width="200%" height="200%"><feGaussianBlur stdDeviation="1.5"/></filter>'
        '<rect x="18" y="12" width="26" height="18" fill="#000" fill-opacity="0.8" filter="url(#f)"/>'
        '<rect x="15" y="15" width="26" height="18" fill="#08f"/>'
    ),
    "a mask that fades": (
        '<linearGradient id="g"><stop offset="0"/><stop offset="0.7" stop-color="#fff"/></linearGradient>'
        '<mask id="m"><rect x="5" y="5" width="50" height="30" fill="url(#g)"/></mask>'
        '<circle cx="30" cy="20" r="14" fill="#c03" mask="url(#m)"/>'
    ),
}


@pytest.mark.parametrize("drawing", DRAWINGS)
def test_it_is_what_librsvg_draws_more_than_half(drawing: str, tmp_path: Path) -> None:
    svg = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">'
        f"{DRAWINGS[drawing]}</svg>"
    ).encode()
    with Image.open(BytesIO(by_librsvg(svg, "png", tmp_path, DPI, ground="none"))) as image:
        opacity = np.asarray(image.convert("RGBA"))[..., 3]
    true = opacity >= 128
    found = np.zeros(true.shape, np.uint8)
    for area in read_areas(separate(svg, "drawing.svg", {}).areas):
        rings = [np.asarray(ring.coords) * (PX, -PX) + (0, true.shape[0]) for ring in (area.exterior, *area.interiors)]
        cv2.fillPoly(found, [np.round(ring * 16).astype(np.int32) for ring in rings], 1, shift=4)
    contours, _ = cv2.findContours(true.astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    rim = sum(cv2.arcLength(ring, True) for ring in contours)
    # the rim of a shadow is faint over several pixels: within one of them on the mean
    assert (found.astype(bool) ^ true).sum() <= 1.0 * rim
    assert shapely.area(read_areas(separate(svg, "drawing.svg", {}).areas)).sum() < 0.6 * 60 * 40
