"""Labels of a web that differ: the print file gets a page for every repeat, and its codes are read back."""

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import replace

from etiquette.core.cutting.web_pairs import WebFiles, placements
from etiquette.core.errors import JobError
from etiquette.core.planning.problem import Placement
from etiquette.core.planning.web_rows import named_rows, row_places
from etiquette.core.printing.code_reading import codes_on_page
from etiquette.core.printing.filled import PictureOf
from etiquette.core.printing.filled_repeats import Filled
from etiquette.core.production.frames import FrameDesign
from etiquette.core.variable.filling import FilledCopy
from etiquette.files.documents.webs import WebDocument
from etiquette.sandbox.codes import unread_of
from etiquette.sandbox.web_pairs import filled_of
from etiquette.stations.copies import filled_rows
from etiquette.stations.rows import Rows

SAMPLE = 400
"""Codes that are read back, about, evenly over the web."""


def filled(
    files: WebFiles, document: WebDocument, designs: Mapping[str, FrameDesign], rows: Mapping[str, Rows]
) -> WebFiles:
    """The pair with a print file of as many pages as the rows need. Raises JobError when anything is wrong with a row,
    or a code cannot be read from the file."""
    web, title, across = document.to_web(), document.name, [str(one) for one in document.designs]
    placed = placements(web, designs, across)
    by_page: dict[int, list[tuple[Placement, FilledCopy]]] = defaultdict(list)
    pictures: dict[str, PictureOf] = {}
    for name, one in rows.items():
        wanted = set(named_rows(document.only_rows, one.count))
        numbers = [number for number in one.printed() if number in wanted]
        if not numbers:
            what = f"None of the rows {document.only_rows} is printed: all are left out."
            raise JobError(what, title, "Name others, or take them in again at Lines, Rows.")
        copies = filled_rows(one, numbers)
        where = row_places(web, document.to_rolls(), across, name, len(numbers), document.rows_from)
        for number, (page, label) in zip(numbers, where, strict=True):
            by_page[page].append((placed[label], copies[number]))
        pictures |= {picture: one.picture_of() for picture in one.pictures}
    pages: list[Filled] = [
        [(placement, designs[placement.id].art.clip, copy) for placement, copy in by_page[page]]
        for page in range(max(by_page) + 1)
    ]
    printed = filled_of(files.printed, pages, title, lambda name: pictures[name](name))
    _refuse_unread(printed.colour, by_page, title)
    return replace(files, printed=printed)


def _refuse_unread(pdf: bytes, by_page: Mapping[int, list[tuple[Placement, FilledCopy]]], where: str) -> None:
    codes = []
    for page, held in by_page.items():
        copies = {(placement.id, placement.copy): copy for placement, copy in held}
        codes += codes_on_page(copies, [placement for placement, _ in held], page=page)
    looked = codes[:: max(1, len(codes) // SAMPLE)]
    wrong = unread_of(pdf, looked) if looked else []
    if wrong:
        first = ", ".join(str(looked[number].row) for number in wrong[:5])
        what = f"{len(wrong)} of {len(looked)} codes cannot be read from the print file: rows {first}."
        raise JobError(what, where, "Make them larger, or lay white under them, at Lines, Rows.")
