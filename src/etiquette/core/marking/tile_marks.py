"""What stands beside a tile, off the work: ticks where its neighbours meet it, and words that say which it is."""

from collections.abc import Sequence
from dataclasses import dataclass

from etiquette.core.marking.frame_plans import Note

Box = tuple[float, float, float, float]
ROOM_MM = 12.0
"""Free round a tile for its ticks and its words: letters of 3 mm in a line of their own, and as much as a hand trims
askew."""
AWAY_MM = 1.5
"""Between what is printed of the tile and its ticks: they are no part of the art when it is trimmed."""
SEAM_TICK_MM, EDGE_TICK_MM = 6.0, 3.0
"""A seam has the longer ticks, the edge of the neighbour the shorter ones."""
STROKE_MM = 0.25
WORDS_MM = 2.5
"""Height of a capital letter."""
WORDS_AWAY_MM = AWAY_MM + SEAM_TICK_MM + 1.0


@dataclass(frozen=True)
class Tick:
    """A line that neighbours meet at, in the tile's millimetres: `across` True for an upright line at x = `at_mm`."""

    across: bool
    at_mm: float
    is_seam: bool


@dataclass(frozen=True)
class TileMarks:
    """Boxes (x0, y0, x1, y1) of ticks, and the words with the place where they begin, in the tile's millimetres."""

    ticks: tuple[Box, ...]
    words: str
    words_at: tuple[float, float]


def marks_beside(size_mm: tuple[float, float], ticks: Sequence[Tick], words: str) -> TileMarks:
    """Round a tile that is printed `size_mm` wide and high: ticks at both ends of every line, words under its foot."""
    width, height = size_mm
    boxes: list[Box] = []
    for tick in ticks:
        long, half = (SEAM_TICK_MM if tick.is_seam else EDGE_TICK_MM), STROKE_MM / 2
        for low, high in _ends(height if tick.across else width, long):
            a, b = tick.at_mm - half, tick.at_mm + half
            boxes.append((a, low, b, high) if tick.across else (low, a, high, b))
    return TileMarks(tuple(boxes), words, (0.0, -WORDS_AWAY_MM - WORDS_MM))


def _ends(length_mm: float, long_mm: float) -> tuple[tuple[float, float], tuple[float, float]]:
    return (-AWAY_MM - long_mm, -AWAY_MM), (length_mm + AWAY_MM, length_mm + AWAY_MM + long_mm)


def words_of(name: str, number: int, count: int, row: int, column: int, rows: int, columns: int) -> str:
    """What a tile says of itself. The foot is where it stands."""
    where = " · ".join(
        [*([f"row {row} of {rows}"] if rows > 1 else []), *([f"column {column} of {columns}"] if columns > 1 else [])]
    )
    return f"{name} · tile {number} of {count}{f' · {where}' if where else ''} · this is its foot"


def placed(marks: TileMarks, turn_deg: float, dx: float, dy: float) -> tuple[list[Box], Note]:
    """`marks` where their tile lies: turned about its lower left corner by quarters, then moved."""
    turn = round(turn_deg / 90) % 4

    def there(x: float, y: float) -> tuple[float, float]:
        for _ in range(turn):
            x, y = -y, x
        return x + dx, y + dy

    boxes = []
    for x0, y0, x1, y1 in marks.ticks:
        (a, b), (c, d) = there(x0, y0), there(x1, y1)
        boxes.append((min(a, c), min(b, d), max(a, c), max(b, d)))
    return boxes, Note(marks.words, *there(*marks.words_at), WORDS_MM, 90.0 * turn)
