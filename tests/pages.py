"""A page as another program lays it out for a cutter: decals with their cut lines in a layer, and marks of its own
round them. Written as SVG by hand, drawn by librsvg: no code of Etiquette has a part in it."""

import subprocess
from collections.abc import Sequence
from pathlib import Path

WIDE_MM, HIGH_MM = 300, 400
EIGHT = [(12, 12), (288, 12), (12, 388), (288, 388), (150, 12), (150, 388), (12, 200), (288, 200)]
"""Places of marks in millimetres from the lower left corner."""
DECALS = [(70 + 80 * column, 80 + 80 * row) for row in range(4) for column in range(3)]
"""Their middles, in the same way."""
RADIUS_MM = 25


def drawn(shape: str, x: float, y: float, size: float, stroke: float, inward: tuple[int, int] = (1, 1)) -> str:
    """A mark whose middle of darkness is at (x, y) from the lower left corner."""
    y, half = HIGH_MM - y, size / 2
    if shape == "disc":
        return f'<circle cx="{x}" cy="{y}" r="{half}"/>'
    if shape == "square":
        return f'<rect x="{x - half}" y="{y - half}" width="{size}" height="{size}"/>'
    if shape == "ring":
        return f'<circle cx="{x}" cy="{y}" r="{half - stroke / 2}" fill="none" stroke="#000" stroke-width="{stroke}"/>'
    if shape == "cross":
        arms = f"M{x - half} {y}H{x + half}M{x} {y - half}V{y + half}"
        return f'<path d="{arms}" fill="none" stroke="#000" stroke-width="{stroke}"/>'
    # the middle of an angle of two arms of so much area, from its corner: worked by hand
    long, short = size * stroke * size / 2, (size - stroke) * stroke * stroke / 2
    away = (long + short) / (size * stroke + (size - stroke) * stroke)
    across, up = inward
    cx, cy = x - across * away, y + up * away
    return (
        f'<path d="M{cx} {cy}h{across * size}v{-up * stroke}h{-across * (size - stroke)}'
        f'v{-up * (size - stroke)}h{-across * stroke}z"/>'
    )


def page_svg(
    marks: Sequence[tuple[float, float]] = EIGHT, shape: str = "disc", size: float = 6.0, stroke: float = 1.0,
    round_all: bool = False,
) -> bytes:  # fmt: skip
    """The page. `round_all`: a through cut round all decals, besides their kiss cuts."""
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDE_MM}mm" height="{HIGH_MM}mm" '
        f'viewBox="0 0 {WIDE_MM} {HIGH_MM}"><g id="art" font-family="DejaVu Sans">'
    ]
    for number, (x, y) in enumerate(DECALS):
        colour = ("#b33", "#173", "#249", "#222")[number % 4]
        parts.append(
            f'<circle cx="{x}" cy="{HIGH_MM - y}" r="{RADIUS_MM + 2}" fill="{colour}"/>'
            f'<text x="{x - 22}" y="{HIGH_MM - y}" font-size="8" fill="#fff">Ferry · {number}</text>'
        )
    parts.append('<text x="110" y="30" font-size="9">ooo Harbour fair ooo 8 · 8 +</text></g><g id="registration">')
    middle = (WIDE_MM / 2, HIGH_MM / 2)
    parts += [
        drawn(shape, x, y, size, stroke, (1 if x < middle[0] else -1, 1 if y < middle[1] else -1)) for x, y in marks
    ]
    parts.append('</g><g id="Kiss cut" fill="none" stroke="#f0f" stroke-width="0.2">')
    parts += [f'<circle cx="{x}" cy="{HIGH_MM - y}" r="{RADIUS_MM}"/>' for x, y in DECALS]
    parts.append("</g>")
    if round_all:
        parts.append(
            '<g id="Through cut" fill="none" stroke="#0a0" stroke-width="0.2"><rect x="35" y="45" width="230" '
            'height="320"/></g>'
        )
    return "".join([*parts, "</svg>"]).encode()


def by_librsvg(svg: bytes, form: str, folder: Path, dpi: float = 127, ground: str = "white") -> bytes:
    """The page drawn by librsvg (`rsvg-convert`) as PNG or PDF, on a ground of a colour or "none"."""
    source = folder / "page.svg"
    source.write_bytes(svg)
    done = subprocess.run(
        ["rsvg-convert", "-f", form, "-d", str(dpi), "-p", str(dpi), "-b", ground, source], capture_output=True
    )
    assert done.returncode == 0, done.stderr
    return done.stdout
