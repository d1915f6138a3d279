"""The plates of a design with its rows, from FIELDS.json and a table alone."""

from datetime import date
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from shapely import box

from etiquette.cli.folders import make_folder, read_beside, write_file
from etiquette.cli.run_designs import from_picture, from_vectors
from etiquette.core.artwork.forms import form_of
from etiquette.core.artwork.raster import Picture, read_picture
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path as Line
from etiquette.core.planning.web_rows import named_rows
from etiquette.core.printing.filled import PictureOf
from etiquette.core.production.filled_pages import FilledPages, spot_pages, spots_with_areas
from etiquette.core.production.frames import FrameDesign, frame_design, spots_of
from etiquette.core.variable.checking import Checked, check_rows
from etiquette.core.variable.filling import Filling, Trouble
from etiquette.core.variable.fonts import FontShelf
from etiquette.files.fields_file import FieldsFile
from etiquette.files.rows_file import RowsFile
from etiquette.files.run_design_file import RunDesignFile
from etiquette.sandbox.art import read_art
from etiquette.sandbox.fonts import font_of
from etiquette.sandbox.tables import TableRead, table_of

MOST_TOLD = 1_000
"""Troubles that are told one by one."""


def fill(file: FieldsFile, folder: Path, table: Path, out: Path, rows: str | None, check: bool) -> dict[str, Any]:
    """Write colour.pdf, a page a row, and the plates of white and clear into `out`; paths in `file` start at `folder`.
    `rows`: “1-100”, “5, 8”, “3-”; `check`: nothing is written, what is wrong is told. Raises JobError, also when
    anything is wrong with a row."""
    read = table_of(read_beside(table.parent, table.name), table.name, file.table.to_wish())
    wanted = [one for one in named_rows(rows or "", read.count) if one not in set(file.leave_out)]
    filling = Filling(
        file.field_set(),
        [one.name for one in read.columns],
        FontShelf({name: font_of(read_beside(folder, path), path) for name, path in file.fonts.items()}),
        file.today or date.today(),
        _picture_names(file, folder),
        [one.name for one in read.columns if one.rounded],
    )
    with TemporaryDirectory(prefix="etq-rows-") as kept:
        path = Path(kept) / "rows.jsonl"
        path.write_bytes(read.rows_file)
        held = RowsFile(path, [one.name for one in read.columns])
        odd = [Trouble(one.row, "", one.why) for one in read.odd if one.row in set(wanted)]
        design = None if check else _design(file, folder)
        pages = FilledPages(design, _pictures(file, folder)) if design is not None else None
        each = pages.add if pages is not None else lambda _: None
        checked = check_rows(filling, held.rows(wanted), file.field_set(), odd, each)
    summary = {"table": _told(read), "rows": len(wanted), **_checked(checked)}
    if design is None or pages is None:
        return summary
    if checked.count:
        first = checked.troubles[0]
        where = f"Row {first.row}, {first.field}" if first.field else f"Row {first.row}"
        raise JobError(
            f"{checked.count} rows or fields are wrong. {where}: {first.why}",
            table.name,
            "See all with --check; mend them, or name the rows in leave_out.",
        )
    return {**summary, "out": str(out), "pages": len(pages), "files": _write(file, out, design, pages)}


def _write(file: FieldsFile, out: Path, design: FrameDesign, pages: FilledPages) -> list[str]:
    make_folder(out)
    files = {"colour.pdf": pages.written(file.name)}
    for ink in spots_with_areas(design):
        if plate := spot_pages(design, ink, len(pages), file.name):
            files[f"{ink.lower()}.pdf"] = plate
    return [write_file(out / name, held) for name, held in files.items()]


def _pictures(file: FieldsFile, folder: Path) -> PictureOf:
    """Reads a picture of the folder by its name."""

    def picture_of(name: str) -> Picture:
        return read_picture(read_art(read_beside(folder, f"{file.pictures}/{name}"), name)[0].picture, name)

    return picture_of


def _design(file: FieldsFile, folder: Path) -> FrameDesign:
    """The art in its own rectangle."""
    content = read_beside(folder, file.art)
    pages = read_art(content, file.art)
    if file.page > len(pages):
        raise JobError(f"The file has {len(pages)} pages.", file.art, "Give one of them.")
    page = pages[file.page - 1]
    wish = RunDesignFile(id=file.name, art=file.art, page=file.page, width_mm=file.width_mm)

    def outline(width: float, height: float) -> list[FinishLine]:
        return [FinishLine("through", Line.from_points(np.asarray(box(0, 0, width, height).exterior.coords)[:-1]))]

    if form_of(content) == "picture":
        art, ready, size = from_picture(wish, page, content, outline(1, 1))
    else:
        art, ready, size = from_vectors(wish, page, folder, outline(1, 1))
    return frame_design(art, outline(*size), box(0, 0, *size), spots_of(ready.spots, raised=False), 0.0)


def _picture_names(file: FieldsFile, folder: Path) -> list[str]:
    if file.pictures is None:
        return []
    place = folder / file.pictures
    if not place.is_dir():
        raise JobError("There is no such folder of pictures.", str(file.pictures), "Name one beside FIELDS.json.")
    return sorted(one.name for one in place.iterdir() if one.is_file())


def _told(read: TableRead) -> dict[str, Any]:
    columns = [{"name": one.name, "kind": one.kind, "empty": one.empty, "double": one.double} for one in read.columns]
    return {"encoding": read.encoding or None, "delimiter": read.delimiter, "header": read.header, "sheet": read.sheet,
            "begins": read.begins, "rows": read.count, "columns": columns}  # fmt: skip


def _checked(checked: Checked) -> dict[str, Any]:
    told = [{"row": one.row, "field": one.field, "why": one.why} for one in checked.troubles[:MOST_TOLD]]
    worst = [
        {"field": one.field, "row": row, "size_pt": one.size_pt, "module_mm": one.module_mm}
        for row, one in checked.worst
    ]
    return {"troubles": told, "trouble_count": checked.count, "worst": worst}
