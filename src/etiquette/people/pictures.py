"""Codes on the screen and on badges, as SVG."""

from etiquette.core.variable.codes import QUIET, CodeKind, symbol

BAR_HEIGHT = 24
"""Modules: bars are made a quarter as high as they are wide."""


def code_picture(kind: CodeKind, content: str) -> str:
    """A code with its quiet zone; a unit is a module."""
    made = symbol(kind, content)
    left, right, above = QUIET[kind]
    rows, columns = made.modules.shape
    height = BAR_HEIGHT if rows == 1 else 1
    dark = "".join(
        f"M{left + x} {above + y * height}h1v{height}h-1z"
        for y in range(rows)
        for x in range(columns)
        if made.modules[y, x]
    )
    width, tall = columns + left + right, rows * height + 2 * above
    box = f'viewBox="0 0 {width} {tall}" shape-rendering="crispEdges"'
    paper = f'<rect width="{width}" height="{tall}" fill="white"/>'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {box}>{paper}<path d="{dark}" fill="black"/></svg>'
