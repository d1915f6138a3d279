"""The trail names things by the addresses that were asked; an owner reads what they are called now."""

import pytest
from sqlalchemy.orm import Session

from etiquette.demo.art import art_file
from etiquette.files.documents.plates import PlateSetDocument
from etiquette.people.trail_names import names_of
from etiquette.stations import run_edits
from etiquette.stations.lines import taking_in
from etiquette.stations.shop import Shop
from etiquette.store.models import Blob, Design, Plate, Sheet
from etiquette.store.states import SheetState
from tests.documents.test_former_versions import HELD
from tests.stations.shop_floor import fill_shelf


@pytest.fixture
def works(shop: Shop) -> Shop:
    """A job “Kite” with the design “Kite”, its run “Badges”, a plate of it and the sheet “K1”: all with the number 1,
    but the run, which has 2."""
    shop.database.within(fill_shelf)
    (design,) = taking_in.take_in(shop, art_file("kite")[1], "kite.png", None, {"width_mm": 40.0})
    items = [{"design_id": design, "count": 2}]

    def made(session: Session) -> None:
        for name in ("Other", "Badges"):
            run = run_edits.create(session, name, items)
        shas = dict.fromkeys(("pdf_sha", "lines_sha", "preview_sha"), session.query(Blob).limit(1).one().sha256)
        summary = PlateSetDocument.read(HELD["plate set"]).with_(placed=(design,))
        plate = Plate(run_id=run, key="1", summary=summary, **shas)
        session.add(plate)
        session.flush()
        session.add(Sheet(plate_id=plate.id, name="K1", state=SheetState.PRINTED, pieces=1))

    shop.database.within(made)
    return shop


def named(shop: Shop, *addresses: str) -> dict[str, str]:
    return shop.database.within(lambda session: names_of(session, addresses))


def test_every_kind_of_address_is_named_by_what_its_number_is_of(works: Shop) -> None:
    expected = {
        "designs/1/edits": "Kite",
        "tiles/1": "Kite",
        "rows/1/table": "Kite",
        "runs/2/edits": "Badges",
        "runs/1": "Other",
        "print/2/plate": "Badges",
        "room/runs/2": "Badges",
        "plates/1/send": "Badges",  # a plate has no name: its run has
        "sheets/1/spoil": "K1",
        "bench/1/cut": "K1",
        "bench/sheets/1": "K1",
        "room/sheets/1/lay": "K1",
        "jobs/1/edits": "Kite",
    }
    assert named(works, *expected) == expected


def test_what_is_gone_or_has_no_number_is_left_as_it_stands(works: Shop) -> None:
    others = ("runs", "runs/77/edits", "people/accounts: Sedge, viewer", "tokens/1", "designs/first", "designs/1st")
    assert named(works, *others) == {}
    # a number too large for any row asks the database for nothing that it cannot hold
    assert named(works, "runs/99999999999/edits") == {}


def test_it_is_the_name_of_today(works: Shop) -> None:
    def rename(session: Session) -> None:
        design = session.get_one(Design, 1)
        design.document = design.document.with_(name="Kite, red")

    works.database.within(rename)
    assert named(works, "designs/1/edits", "tiles/1/made") == {
        "designs/1/edits": "Kite, red",
        "tiles/1/made": "Kite, red",
    }
