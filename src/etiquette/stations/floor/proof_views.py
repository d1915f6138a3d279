"""What a proof shows of a design: what is seen from each of its sides, its lines, the dots of its braille, and of
copies that are filled from rows the first and the last."""

import math
from base64 import b64encode
from collections.abc import Sequence
from dataclasses import dataclass, replace
from html import escape
from pathlib import Path

from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.units import MM_PER_INCH
from etiquette.sandbox.proofing import Changed, picture_seen
from etiquette.stations.designs import DesignState, areas_of, dots_of, lines_of
from etiquette.stations.placed_art import is_mirrored, seen_behind
from etiquette.stations.rows import Rows, one_copy, picture_of_copy, rows_of
from etiquette.stations.schemas import LineShown
from etiquette.stations.shop import Shop
from etiquette.stations.views import lines_shown

WIDEST_MM, HIGHEST_MM = 170.0, 120.0
"""How large a design can be on a page of a proof; a smaller one is shown at its size."""
DPI = 300.0
"""How finely art is shown: a proof is sent by mail and printed in an office."""
ROUND_MM = 3.0
"""Room round a design for what is cut outside it."""
STROKES: dict[Kind, tuple[str, str]] = {
    "kiss": ("#008069", ""),
    "through": ("#5d4037", "2.4 0.6"),
    "perforation": ("#9a6b00", "3 1.5"),
    "crease": ("#6d3bbf", "0.4 1"),
    "score": ("#334155", "2 0.8 0.4 0.8"),
    "pen": ("#1f2937", ""),
}
OUTLINES: tuple[Kind, ...] = ("kiss", "through")
"""What a piece ends at."""
Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class _Picture:
    """What is drawn of a design, and where: x, y, width, height in mm from the top left of its art."""

    file: Path
    box: Box


@dataclass(frozen=True)
class _Side:
    """A design as it is seen from one side, all in millimetres of the printed sheet, y down: its pictures, `moved` (a
    transform of SVG) where they are another design's; the sheet is `turned` over where it is seen from behind. `row`:
    the one whose fields are on it; `dots`: of braille, middles and width."""

    pictures: list[_Picture]
    changed: Changed
    turned: bool
    words: str = ""
    moved: str = ""
    row: int | None = None
    dots: Sequence[tuple[float, float, float]] = ()


@dataclass(frozen=True)
class Shown:
    """One design as the customer sees it."""

    name: str
    width_mm: float
    height_mm: float
    count: int
    sides: list[_Side]
    lines: list[LineShown]
    facts: list[str]
    rows: Rows | None


def shown_of(shop: Shop, session: Session, state: DesignState) -> Shown:
    """Raises JobError where a part of it is gone."""
    document, width, height = state.document, state.document.width_mm or 0.0, state.height_mm or 0.0
    file = lines_of(shop, state)
    lines = lines_shown(file) if file else []
    rows = rows_of(shop, session, state) if document.rows and document.rows.fields else None
    return Shown(
        document.name, width, height, len(rows.printed()) if rows else document.due_count,
        _sides(shop, state, rows), lines, _facts(shop, state, lines, rows), rows,
    )  # fmt: skip


def _sides(shop: Shop, state: DesignState, rows: Rows | None) -> list[_Side]:
    """The art of a second surface is printed mirrored: it is seen from behind the sheet. Raises JobError."""
    own, other = _side(shop, state, state.document.second_surface), seen_behind(state)
    own = replace(own, dots=_dots(state))
    sides = [own]
    if rows and (printed := rows.printed()):
        sides = [replace(own, row=row, words=f"row {row}") for row in sorted({printed[0], printed[-1]})]
    if other is None:
        return sides
    sides[0] = replace(sides[0], words=", ".join(word for word in ("from this side", sides[0].words) if word))
    seen = _side(shop, other, not own.turned)
    return [*sides, replace(seen, words="from the other side", moved=_behind(state, other))]


def _behind(state: DesignState, other: DesignState) -> str:
    """Where the art of the other side lies on the sheet: middle on middle."""
    (wide, high), (width, height) = ((one.document.width_mm or 0.0, one.height_mm or 0.0) for one in (state, other))
    across = -1 if is_mirrored(state, other) else 1
    return f"translate({(wide - across * width) / 2:.3f} {(high - height) / 2:.3f}) scale({across} 1)"


def _dots(state: DesignState) -> list[tuple[float, float, float]]:
    high = state.height_mm or 0.0
    boxes = [dot.bounds for dot in dots_of(state)]
    return [((low + far) / 2, high - (bottom + top) / 2, far - low) for low, bottom, far, top in boxes]


def _side(shop: Shop, state: DesignState, turned: bool) -> _Side:
    """Bleed first, where it is a picture of its own; then the art without its lines."""
    changed = Changed(state.replaced, state.document.correction())
    width, height = state.document.width_mm or 0.0, state.height_mm or 0.0
    whole, found = (0.0, 0.0, width, height), state.lines
    if found is None:
        return _Side([_Picture(shop.blobs.path(state.art.picture_sha), whole)], changed, turned)
    bleed = found.summary.bleed
    x, y, wide, high = bleed.box if bleed else whole
    box = (x, height - y - high, wide, high)  # y down
    under = [_Picture(shop.blobs.path(found.under_sha), box)] if found.under_sha else []
    printed = found.print_picture_sha or state.art.picture_sha
    grown = bleed is not None and not under and found.print_picture_sha is not None
    return _Side([*under, _Picture(shop.blobs.path(printed), box if grown else whole)], changed, turned)


def _facts(shop: Shop, state: DesignState, lines: Sequence[LineShown], rows: Rows | None) -> list[str]:
    """What is to be known of it besides the picture, in words."""
    document = state.document
    of_kind: dict[str, int] = {}
    for line in lines:
        of_kind[line.kind] = of_kind.get(line.kind, 0) + 1
    facts = ["cut: " + ", ".join(f"{count} {kind}" for kind, count in of_kind.items()) if of_kind else "not cut"]
    facts.append(f"bleed {document.bleed_mm:g} mm" if document.bleed_mm else "no bleed")
    facts += [f"with {state.called.get(plate, plate)}" for plate, areas in areas_of(shop, state).items() if areas]
    if rows:
        facts.append(f"each filled from its row, {len(rows.printed())} rows")
    if document.both_sides:
        facts.append(f"from the other side: {state.other.document.name if state.other else 'the same'}")
    if document.second_surface:
        facts.append("seen through the stock: printed mirrored")
    if document.braille:
        facts.append(f"braille: {document.braille.text} {document.braille.cells}")
    spots = ", ".join(
        f"{spot}: {meant if isinstance(meant, str) else meant.name}" for spot, meant in state.inks.items()
    )
    return [*facts, f"colours by name: {spots}"] if spots else facts


def drawn(design: Shown) -> str:
    """The part of a proof's page that shows a design, as HTML. Asks children of the door: not inside a transaction.
    Raises JobError."""
    wide, high = design.width_mm + 2 * ROUND_MM, design.height_mm + 2 * ROUND_MM
    scale = min(1.0, WIDEST_MM / wide, HIGHEST_MM / high)
    at = "at its size" if scale == 1 else f"shown at {scale * 100:.0f} %"
    sides = "".join(_of_side(design, side, scale) for side in design.sides)
    return f"""
<section style="break-inside: avoid; margin-top: 7mm">{sides}
<p><b>{escape(design.name)}</b> · {design.width_mm:.1f} × {design.height_mm:.1f} mm · {design.count} pieces</p>
<p class="slate">{escape(" · ".join([*design.facts, at]))}</p></section>"""


def _of_side(design: Shown, side: _Side, scale: float) -> str:
    images = ""
    for one in side.pictures:
        fine = math.ceil(max(one.box[2:]) * scale / MM_PER_INCH * DPI)
        images += _image(picture_seen(one.file, side.changed, most_px=fine), one.box)
    if side.moved:  # kept to the line of the design that it is behind
        outline = " ".join(line.d for line in design.lines if line.kind in OUTLINES)
        clip = f'<clipPath id="cut"><path d="{outline}"/></clipPath>' if outline else ""
        images = f'{clip}<g clip-path="url(#cut)"><g transform="{side.moved}">{images}</g></g>'
    if side.row is not None and design.rows is not None:
        size = (design.width_mm, design.height_mm)
        fields = picture_of_copy(design.rows, one_copy(design.rows, side.row), size)
        images += _image(fields, (0.0, 0.0, *size))
    strokes = "".join(_stroke(line, 1 / scale) for line in design.lines)
    dots = "".join(
        f'<circle cx="{x:.3f}" cy="{y:.3f}" r="{across / 2:.3f}" fill="#475569" stroke="#fff" stroke-width="0.2"/>'
        for x, y, across in side.dots
    )
    seen = f'transform="translate({design.width_mm:.3f} 0) scale(-1 1)"' if side.turned else ""
    wide, high = design.width_mm + 2 * ROUND_MM, design.height_mm + 2 * ROUND_MM
    caption = f'<p class="slate">{escape(side.words)}</p>' if side.words else ""
    return f"""
<div style="display: inline-block; vertical-align: top; margin-right: 6mm">
<svg style="width: {wide * scale:.2f}mm; height: {high * scale:.2f}mm; display: block"
 viewBox="{-ROUND_MM} {-ROUND_MM} {wide:.3f} {high:.3f}"><g {seen}>{images}{strokes}{dots}</g></svg>{caption}</div>"""


def _image(png: bytes, box: Box) -> str:
    x, y, width, height = box
    return (
        f'<image x="{x:.3f}" y="{y:.3f}" width="{width:.3f}" height="{height:.3f}" '
        f'preserveAspectRatio="none" href="data:image/png;base64,{b64encode(png).decode()}"/>'
    )


def _stroke(line: LineShown, by: float) -> str:
    """On white, so that it shows on any art; as wide on paper however small the design is shown."""
    colour, dashes = STROKES[line.kind]
    dashed = f' stroke-dasharray="{" ".join(f"{float(one) * by:.3f}" for one in dashes.split())}"' if dashes else ""
    casing = f'<path d="{line.d}" fill="none" stroke="#fff" stroke-width="{0.9 * by:.3f}"/>'
    return f'{casing}<path d="{line.d}" fill="none" stroke="{colour}" stroke-width="{0.4 * by:.3f}"{dashed}/>'
