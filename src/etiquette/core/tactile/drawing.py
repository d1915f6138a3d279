"""Dots as vectors: one circle each, in a group that is called what it is."""

from etiquette.core.geometry.pens import figure
from etiquette.core.tactile.signs import Dots


def dots_svg(dots: Dots) -> str:
    """One circle a dot, user units millimetres, y down."""
    wide, high = figure(dots.width_mm), figure(dots.height_mm)
    radius = figure(dots.sizes.made_dot / 2)
    circles = "\n".join(
        f'<circle cx="{figure(x)}" cy="{figure(dots.height_mm - y)}" r="{radius}"/>' for x, y in dots.places
    )
    head = f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide}mm" height="{high}mm" viewBox="0 0 {wide} {high}">'
    return f'{head}\n<g id="Braille">\n{circles}\n</g>\n</svg>\n'
