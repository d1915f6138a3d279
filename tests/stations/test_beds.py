"""Blanks on a bed: what lies on which, holders kept and taken again, the same in another shop."""

import pytest

from etiquette.core.errors import JobError
from etiquette.demo.art import art_file
from etiquette.files.documents.runs import BedDocument, BedPlace
from etiquette.stations import recipes, run_edits, runs
from etiquette.stations.lines import taking_in
from etiquette.stations.run import holders, nesting
from etiquette.stations.run.views import run_shown
from etiquette.stations.shelf import exchange
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Holder
from tests.stations.shop_floor import do, fill_shelf


def blank(x: float, y: float, **more: object) -> dict[str, object]:
    return {"x_mm": x, "y_mm": y, "width_mm": 90.0, "height_mm": 90.0, **more}


@pytest.fixture
def filled(shop: Shop) -> Shop:
    shop.database.within(fill_shelf)
    return shop


def bed_run(shop: Shop, *places: dict[str, object], counts: tuple[int, int] = (2, 2)) -> tuple[int, list[int]]:
    name, content = art_file("trueing-disc")
    ids = [taking_in.take_in(shop, content, f"{n}{name}", None, {"width_mm": 60.0})[0] for n in "ab"]
    items = [{"design_id": key, "count": count} for key, count in zip(ids, counts, strict=True)]

    def made(session: object) -> int:
        run = run_edits.create(session, "Blanks", items)  # type: ignore[arg-type]
        run_edits.change(session, run, None, "bed", {"laying": "bed", "bed": {"places": list(places)}})  # type: ignore[arg-type]
        return run

    return shop.database.within(made), ids


def laid(shop: Shop, run: int) -> list[tuple[str, int, int, int]]:
    """Design, bed, and the middle of every piece in whole millimetres from the corner of the bed."""
    do(shop, nesting.nest_run, run_id=run, steps=1)
    state = shop.database.within(lambda session: runs.state_of(shop, session, run))
    assert state.document.layout is not None and state.fresh and state.trouble is None
    return [(one.id, one.sheet, round(one.x_mm + 30), round(one.y_mm + 30)) for one in state.document.layout.placements]


def test_each_blank_takes_its_own_design_and_the_bed_stays_as_it_lies(filled: Shop) -> None:
    run, (first, second) = bed_run(filled, blank(10, 10), blank(150, 10), counts=(1, 2))
    assert {one[2:] for one in laid(filled, run)} == {(55, 55), (195, 55)}

    def own(session: object) -> None:
        places = [blank(10, 10, design_id=second), blank(150, 10, design_id=first), blank(10, 200, design_id=first)]
        run_edits.change(session, run, None, "own", {"bed": {"places": places}})  # type: ignore[arg-type]

    filled.database.within(own)
    assert laid(filled, run) == [
        (str(second), 0, 55, 55), (str(first), 0, 195, 55), (str(second), 1, 55, 55),
    ]  # fmt: skip
    shown = filled.database.within(lambda session: run_shown(filled, session, runs.state_of(filled, session, run)))
    # marks lie round the bed as far as its furthest blank that holds a piece, and as wide as the bed
    assert shown.bed is not None and shown.bed.faults == {}
    wide = shown.bed.across_mm
    assert [plan.work[3] - plan.work[1] for plan in shown.plans] == [pytest.approx(100), pytest.approx(100)]
    assert [plan.work[2] - plan.work[0] for plan in shown.plans] == [pytest.approx(wide), pytest.approx(wide)]


def test_blanks_of_several_stocks_take_the_work_of_their_stock(filled: Shop) -> None:
    run, (first, second) = bed_run(filled, blank(10, 10), blank(150, 10), counts=(1, 1))
    stock = filled.database.within(lambda session: runs.state_of(filled, session, run).stock.id)

    def other_stock(session: object) -> None:
        from etiquette.stations.shelf.filling import add
        from etiquette.stations.shelf.schemas import AddAsked

        other = add(session, "stock", AddAsked(name="Board 2 mm"))  # type: ignore[arg-type]
        session.get_one(Design, first).job.stock_id = other  # type: ignore[attr-defined]
        session.get_one(Design, second).job.stock_id = stock  # type: ignore[attr-defined]
        places = [blank(10, 10, stock_id=stock), blank(150, 10, stock_id=other)]
        run_edits.change(session, run, None, "stocks", {"bed": {"places": places}})  # type: ignore[arg-type]

    filled.database.within(other_stock)
    assert laid(filled, run) == [(str(second), 0, 55, 55), (str(first), 0, 195, 55)]


def test_a_holder_is_kept_taken_again_and_goes_with_the_shelf(filled: Shop) -> None:
    run, (first, _) = bed_run(filled, blank(10, 20, shape="ellipse", rotation_deg=90), blank(150, 20))
    laid(filled, run)
    kept = filled.database.within(lambda session: holders.keep(filled, session, run, "Tray", 0.4))
    row = filled.database.within(lambda session: session.get_one(Holder, kept))
    # as much beyond the last blank as before the first: 240 + 10 and 110 + 20
    assert (row.width_mm, row.length_mm, row.play_mm) == (250, 130, 0.4)
    assert [(one["x_mm"], one["shape"], one["rotation_deg"]) for one in row.places] == [
        (10, "ellipse", 90), (150, "rectangle", 0),
    ]  # fmt: skip
    again = filled.database.within(lambda session: holders.keep(filled, session, run, "Tray", 0.0))
    assert again == kept
    text = filled.database.within(lambda session: exchange.written(filled, session, ["holder"]))
    compared = filled.database.within(lambda session: exchange.compared(filled, session, text, "SHELF.json"))
    assert [(one.kind, one.name, one.state) for one in compared] == [("holder", "Tray", "same")]

    def rows_again(session: object) -> None:
        run_edits.change(session, run, None, "nested", {"laying": "nest"})  # type: ignore[arg-type]

    filled.database.within(rows_again)
    with pytest.raises(JobError, match="no blanks on the bed"):
        filled.database.within(lambda session: holders.keep(filled, session, run, "Nothing", 0.0))
    assert first


def test_a_recipe_keeps_places_and_forgets_whose_they_were(filled: Shop) -> None:
    run, (first, _) = bed_run(filled, blank(10, 10), blank(150, 10))

    def own(session: object) -> dict[str, object]:
        places = [blank(10, 10, design_id=first, stock_id=1), blank(150, 10)]
        run_edits.change(session, run, None, "own", {"bed": {"places": places}})  # type: ignore[arg-type]
        document = runs.state_of(filled, session, run).document  # type: ignore[arg-type]
        chosen: dict[str, object] = recipes.chosen_of(session, None, document)["run"]["bed"]  # type: ignore[arg-type]
        return chosen

    bed = BedDocument.model_validate(filled.database.within(own))
    assert [(one.x_mm, one.design_id, one.stock_id) for one in bed.places] == [(10, None, None), (150, None, None)]


def test_designs_of_blanks_get_the_numbers_that_they_have_elsewhere() -> None:
    bed = BedDocument(places=[BedPlace(**blank(10, 10, design_id=7, stock_id=3)), BedPlace(**blank(150, 10))])  # type: ignore[arg-type]
    here = bed.renamed({7: 41}, keep_stock=False)
    assert [(one.design_id, one.stock_id) for one in here.places] == [(41, None), (None, None)]
    assert bed.renamed({7: 1}).places[0].stock_id == 3
