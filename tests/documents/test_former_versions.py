"""Rows as former versions wrote them: every page opens with them, and what is written next is of this version.

version_1.json holds documents as the last version wrote them that gave them no version, and a plate set of one before
it."""

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from pydantic import ValidationError
from sqlalchemy import update
from sqlalchemy.orm import Session

from etiquette.demo import hands
from etiquette.files.documents.designs import DesignDocument
from etiquette.files.documents.document import Document, OtherVersion
from etiquette.files.documents.lines import LinesDocument
from etiquette.files.documents.plates import PlanNote, PlateSetDocument
from etiquette.files.documents.runs import RunDocument
from etiquette.files.documents.sheets import CutDocument, ProgressDocument, ReadingDocument
from etiquette.stations.bench import cutting, mark_reading
from etiquette.stations.shop import Shop
from etiquette.store.models import Blob, Design, LineResult, Plate, Run, Sheet
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, on_shelf

HELD: dict[str, dict[str, Any]] = json.loads((Path(__file__).parent / "version_1.json").read_text())
KINDS: dict[str, type[Document]] = {
    "design": DesignDocument,
    "run": RunDocument,
    "lines of a picture": LinesDocument,
    "lines of a drawing": LinesDocument,
    "plate set": PlateSetDocument,
    "plate set of discs alone": PlateSetDocument,
    "reading": ReadingDocument,
    "cut": CutDocument,
    "progress": ProgressDocument,
}


@pytest.mark.parametrize("name", HELD)
def test_a_document_of_a_former_version_is_read_and_kept_as_it_is(name: str) -> None:
    """Read, written, read again: nothing is lost, and an upgrade is not made twice."""
    document = KINDS[name].read(HELD[name])
    assert KINDS[name].read(json.loads(json.dumps(document.written()))) == document


def test_what_was_kept_as_bare_lists_is_named() -> None:
    held, plan = HELD["plate set"], PlateSetDocument.read(HELD["plate set"]).plan
    assert [(mark.id, mark.x, mark.y) for mark in plan.marks] == [tuple(mark) for mark in held["plan"]["marks"]]
    assert (plan.codes[1].end, plan.codes[1].kind, plan.codes[1].module_mm) == ("tail", *held["plan"]["codes"][1][4:])
    assert PlanNote.of(plan.to_plan()) == plan
    report = LinesDocument.read(HELD["lines of a picture"]).report
    assert (report.nodes, report.ground) == (HELD["lines of a picture"]["nodes"], "transparent")


@pytest.mark.parametrize(("told", "lacking"), [(None, None), (False, []), (True, ["a font"])])
def test_fonts_that_were_lacking_are_lacking_still(told: bool | None, lacking: list[str] | None) -> None:
    """Version 2 told whether, and not which."""
    values = LinesDocument.read(HELD["lines of a drawing"]).written()
    caught = {name: value for name, value in values["caught"].items() if name != "fonts_lacking"}
    held = {**values, "caught": {**caught, "fonts_missing": told}, "version": 2}
    read = LinesDocument.read(held)
    assert read.caught and read.caught.fonts_lacking == lacking and held["caught"]["fonts_missing"] is told


def test_the_oldest_plates_had_discs_and_a_code_beside_them() -> None:
    old = PlateSetDocument.read(HELD["plate set of discs alone"])
    assert (old.marks.shape, old.marks.size_mm, old.frame, old.placed, old.inks) == ("disc", 6.0, 1, (), {})
    assert {(code.kind, code.module_mm) for code in old.plan.codes} == {("data matrix", 0.8)}


def test_a_version_that_is_not_known_is_a_sentence() -> None:
    for held in ({**HELD["progress"], "version": 9}, {**HELD["progress"], "shape_of_tomorrow": 1}, {"done": "all"}):
        with pytest.raises(OtherVersion, match="another version of Etiquette"):
            ProgressDocument.read(held)
    with pytest.raises(ValidationError):
        DesignDocument.read(HELD["design"]).changed({"version": 9})


@pytest.fixture
def former(room: Shop) -> Iterator[TestClient]:
    """A shop with a sheet that is cut, whose rows are those of the former version."""
    sheet = on_shelf(room)
    hands.lay(room, sheet, "head")
    do(room, mark_reading.read_sheet)
    do(room, cutting.cut_sheet, sheet_id=sheet)

    def grow_old(session: Session) -> None:
        run = json.loads(json.dumps(HELD["run"]))
        run["items"] = [{"design_id": 1, "count": 6}]
        for placement in run["layout"]["placements"]:
            placement["id"] = "1"
        session.merge(Blob(sha256=HELD["cut"]["picture"], size=0, media_type="image/png"))
        session.flush()
        for row, values in (
            (Design, {"document_json": {**HELD["design"], "art_id": 1}}),
            (Run, {"document_json": {**run, "print_mode_id": None, "printer_id": None, "laminator_id": None}}),
            (LineResult, {"summary_json": HELD["lines of a drawing"]}),
            (Plate, {"summary_json": {**HELD["plate set"], "placed": [1] * 30, "pieces": 30}}),
            (
                Sheet,
                {"reading_json": HELD["reading"], "report_json": HELD["cut"], "progress_json": HELD["progress"]},
            ),
        ):
            session.execute(update(row).values(values))

    room.database.within(grow_old)
    with signed_in(room) as made:
        yield made


PAGES = (
    "floor",
    "shelf",
    "test-cards",
    "designs",
    "designs/1",
    "designs/1/versions",
    "runs",
    "runs/1",
    "print/1",
    "print/1/checks",
    "sheets",
    "bench/1",
    "bench/log",
    "plates/1/lines",
    "plates/1/preview?plate=colour",
    "plates/1/companion",
    "rules",
)


def test_every_page_opens_with_rows_of_a_former_version(former: TestClient) -> None:
    answers = {page: former.get(f"/api/{page}") for page in PAGES}
    assert {page: answer.status_code for page, answer in answers.items() if answer.status_code != 200} == {}
    assert [job["words"] for day in answers["floor"].json()["days"] for job in day["jobs"]] != []
    (design,), (run,) = answers["designs"].json(), answers["runs"].json()
    assert (design["name"], run["name"]) == (HELD["design"]["name"], HELD["run"]["name"])
    shown = answers["bench/1"].json()
    assert shown["reading"]["marks"] == HELD["reading"]["marks"]
    assert shown["report"]["cut"] == HELD["cut"]["cut"]


def test_an_edit_of_a_former_row_is_undone_like_any_other(former: TestClient, room: Shop) -> None:
    revision = former.get("/api/designs/1").json()["revision"]
    asked = {"revision": revision, "words": "name", "changes": {"name": "Other"}}
    assert former.post("/api/designs/1/edits", json=asked).json()["document"]["name"] == "Other"
    held = room.database.within(lambda session: session.get_one(Design, 1).document_json)
    assert held["version"] == 1 and held["name"] == "Other"
    back = former.post("/api/designs/1/undo", json={"revision": revision + 1})
    assert back.json()["document"] == former.get("/api/designs/1").json()["document"]
    assert back.json()["document"]["name"] == HELD["design"]["name"]
