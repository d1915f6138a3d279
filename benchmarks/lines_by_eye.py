"""Sheets of strangers' art with the line that is offered at once drawn over it, to be judged by eye.

    python -m benchmarks.lines_by_eye FOLDER [--count 200] [--seed 11] [--only SETS]

Files are drawn by seed from all the sets of corpus.json in turn; each sheet holds forty, numbered, and names.txt says
which file each number is. The line is at offset 0: where it leaves the edge of the art, it is seen.
"""

import argparse
import io
import json
from collections.abc import Iterator
from itertools import islice, zip_longest
from pathlib import Path

from PIL import Image, ImageDraw

from benchmarks.corpus import HERE, files_of, line_of
from etiquette.core.errors import JobError
from etiquette.sandbox.art import read_art

CELL, COLUMNS, ROWS = 176, 8, 5
MARGIN = 12
LINE = (0, 128, 105)


def drawn(name: str, content: bytes) -> Image.Image | None:
    """The first page of a file with its line; None: it is refused."""
    try:
        page = read_art(content, name)[0]
        lines, width, height = line_of(page, name)
    except JobError:
        return None
    art = Image.open(io.BytesIO(page.picture)).convert("RGBA")
    scale = (CELL - 2 * MARGIN) / max(width, height)
    art = art.resize((max(1, round(width * scale)), max(1, round(height * scale))))
    cell = Image.new("RGB", (CELL, CELL), (222, 223, 216))
    left, top = (CELL - art.width) // 2, (CELL - art.height) // 2
    cell.paste(Image.new("RGB", art.size, (251, 250, 246)), (left, top))
    cell.paste(art, (left, top), art)
    pen = ImageDraw.Draw(cell)
    for line in lines:
        points = [(left + x * scale, top + (height - y) * scale) for x, y in line.path.flatten(0.05)]
        pen.line(points, fill=(255, 255, 255), width=3)
        pen.line(points, fill=LINE, width=1)
    return cell


def by_turns(packages: list[dict[str, str]], each: int, seed: int) -> Iterator[tuple[str, bytes]]:
    """Files of all sets, one of each in turn."""
    for row in zip_longest(*(files_of(package, each, seed) for package in packages)):
        yield from (one for one in row if one)


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("folder", type=Path)
    asked.add_argument("--count", type=int, default=200)
    asked.add_argument("--seed", type=int, default=11)
    asked.add_argument("--only", help="names of sets, with commas")
    told = asked.parse_args()
    packages = json.loads((HERE / "corpus.json").read_text())
    if told.only:
        packages = [one for one in packages if one["name"] in told.only.split(",")]
    told.folder.mkdir(parents=True, exist_ok=True)
    cells = (
        (name, cell) for name, content in by_turns(packages, told.count, told.seed) if (cell := drawn(name, content))
    )
    names: list[str] = []
    sheet = Image.new("RGB", (CELL * COLUMNS, CELL * ROWS), "white")
    for number, (name, cell) in enumerate(islice(cells, told.count)):
        place = number % (COLUMNS * ROWS)
        ImageDraw.Draw(cell).text((4, 2), str(number + 1), fill=(32, 38, 43))
        sheet.paste(cell, (place % COLUMNS * CELL, place // COLUMNS * CELL))
        names.append(f"{number + 1}\t{name}")
        if place == COLUMNS * ROWS - 1 or number == told.count - 1:
            sheet.save(told.folder / f"sheet-{number // (COLUMNS * ROWS) + 1}.png")
            sheet = Image.new("RGB", sheet.size, "white")
    (told.folder / "names.txt").write_text("\n".join(names) + "\n")
    print(f"{len(names)} lines on sheets in {told.folder}")


if __name__ == "__main__":
    main()
