"""Where a run lies on its stock, what its slug says, how many more would fit, and what each print mode would take."""

import pypdfium2 as pdfium
import pytest

from etiquette.core.errors import JobError
from etiquette.demo.art import art_file
from etiquette.stations import plate_sets, run_edits, runs
from etiquette.stations.lines import taking_in
from etiquette.stations.print import plating
from etiquette.stations.print.loading import modes_of
from etiquette.stations.print.views import print_shown
from etiquette.stations.run import laying, nesting, room
from etiquette.stations.runs import RunState
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Plate, PrintMode
from tests.stations.shop_floor import do, fill_shelf


@pytest.fixture
def filled(shop: Shop) -> Shop:
    shop.database.within(fill_shelf)
    return shop


def run_of(shop: Shop, count: int, width_mm: float = 80.0, **settings: object) -> int:
    name, content = art_file("trueing-disc")
    (design,) = taking_in.take_in(shop, content, name, None, {"width_mm": width_mm})

    def made(session: object) -> int:
        job = session.get_one(Design, design).job  # type: ignore[attr-defined]
        job.name, job.customer = "Rim targets", "Bell foundry"
        run = run_edits.create(session, "Targets", [{"design_id": design, "count": count}])  # type: ignore[arg-type]
        if settings:
            run_edits.change(session, run, None, "settings", dict(settings))  # type: ignore[arg-type]
        return run

    run = shop.database.within(made)
    do(shop, nesting.nest_run, run_id=run, steps=1)
    return run


def state_of(shop: Shop, run: int) -> RunState:
    return shop.database.within(lambda session: runs.state_of(shop, session, run))


def changed(shop: Shop, run: int, **settings: object) -> RunState:
    shop.database.within(lambda session: run_edits.change(session, run, None, "settings", dict(settings)))
    return state_of(shop, run)


def test_a_run_moves_on_its_stock_and_keeps_its_layout(filled: Shop) -> None:
    run = run_of(filled, 6)
    before = state_of(filled, run)
    wide = before.stock.width_mm
    left = changed(filled, run, start_across_mm=5.0)
    assert left.fresh and left.plans[0].work[0] < before.plans[0].work[0]
    right = changed(filled, run, start_side="right")
    assert right.fresh
    assert right.plans[0].work[2] == pytest.approx(wide - left.plans[0].work[0])


def test_the_print_changes_with_its_slug_and_side(filled: Shop) -> None:
    run = run_of(filled, 2)
    (first,) = do(filled, plating.make_plates, run_id=run)["plate_ids"]
    state = changed(filled, run, slug="{job}, {customer}", arrow_side="right")
    code = state.plans[0].code
    assert state.plans[0].slug.startswith(f"{code}-1 Rim targets, Be")
    assert filled.database.within(lambda session: plate_sets.plates_of(session, state)) == []  # made anew
    (second,) = do(filled, plating.make_plates, run_id=run)["plate_ids"]
    assert second != first

    def ink_at(plate: int, there: tuple[float, float], size: tuple[float, float]) -> int:
        """Dark pixels in a box of the printed page, by PDFium."""
        sha = filled.database.within(lambda session: plate_sets.plate_file(session.get_one(Plate, plate), "colour"))
        page = pdfium.PdfDocument(filled.blobs.path(sha))[0]
        scale = 4.0  # pixels a millimetre
        picture = page.render(scale=scale * 25.4 / 72).to_numpy()[::-1, :, 0]
        x, y = (int(value * scale) for value in there)
        w, h = (int(value * scale) for value in size)
        return int((picture[y : y + h, x : x + w] < 128).sum())

    x, y = state.plans[0].slug_at
    assert ink_at(second, (x + 8, y), (12, 3)) > 50 and ink_at(first, (x + 8, y), (12, 3)) == 0


def test_what_is_no_field_is_refused_before_anything_is_printed(filled: Shop) -> None:
    run = run_of(filled, 2)
    with pytest.raises(JobError, match=r"\{price\} is no field"):
        changed(filled, run, slug="{price} a piece")
    assert changed(filled, run, slug="").plans[0].slug == ""


def test_the_last_sheet_is_filled_and_counted(filled: Shop) -> None:
    run = run_of(filled, 3, sheet_mm=300.0)
    some = state_of(filled, run)
    assert some.document.layout is not None and len(some.document.layout.placements) == 3
    fits = filled.database.within(lambda session: room.still_fit(filled, session, run))
    assert fits[0].more > 0
    stale = changed(filled, run, fill_last=True)
    assert not stale.fresh
    do(filled, nesting.nest_run, run_id=run, steps=1)
    full = state_of(filled, run)
    assert full.fresh and full.document.layout is not None
    assert full.document.items[0].count == len(full.document.layout.placements) == 3 + fits[0].more
    assert {one.sheet for one in full.document.layout.placements} == {0}
    assert not full.document.layout.unplaced


def test_what_is_said_to_fit_is_what_filling_adds(filled: Shop) -> None:
    run = run_of(filled, 7, laying="grid", grid={"columns": 4})
    state = state_of(filled, run)
    (said,) = filled.database.within(lambda session: room.still_fit(filled, session, run))
    assert said.more >= 1  # the second row holds three of four, and beside four columns there is room
    wish = laying.FillWish(design_ids=[said.design_id])
    added = filled.database.within(lambda session: laying.fill(filled, session, run, state.run.revision, wish))
    assert added == said.more
    (now,) = filled.database.within(lambda session: room.still_fit(filled, session, run))
    assert now.more == 0
    # what is shaded holds every piece, and is as wide as may be used
    after = state_of(filled, run)
    ((x0, y0, x1, y1),) = room.rooms_of(after)
    bx0, by0, bx1, by1 = after.plans[0].work
    assert x0 <= bx0 + 1e-6 and y0 <= by0 and x1 >= bx1 - 0.02 and y1 >= by1


def test_every_mode_says_what_the_run_takes_in_it(filled: Shop) -> None:
    run = run_of(filled, 6)
    state = state_of(filled, run)

    def three_modes(session: object) -> None:
        document = state.document
        for name, speed, ink, dries, away in (
            ("Usual", 6.0, 14.0, 30.0, False), ("Draft", 24.0, 7.0, 9.0, False), ("Former", 1.0, 1.0, 1.0, True)
        ):  # fmt: skip
            session.add(  # type: ignore[attr-defined]
                PrintMode(
                    stock_id=document.stock_id, printer_id=document.printer_id, name=name, dpi=360.0, passes=2,
                    two_way=True, m2_per_hour=speed, ink_ml_m2=ink, drying_minutes=dries, away=away,
                )
            )  # fmt: skip
        session.flush()  # type: ignore[attr-defined]
        first = modes_of(session, document)[0]  # type: ignore[arg-type]
        run_edits.change(session, run, None, "mode", {"print_mode_id": first.id})  # type: ignore[arg-type]

    filled.database.within(three_modes)
    before = filled.database.within(lambda session: print_shown(filled, session, run))
    assert [mode.costs for mode in before.modes] == [None, None]  # no plates, so no ink
    do(filled, plating.make_plates, run_id=run)
    shown = filled.database.within(lambda session: print_shown(filled, session, run))
    usual, draft = shown.modes  # what is put away is not offered
    assert (draft.name, draft.drying_minutes) == ("Draft", 9.0)
    assert usual.minutes == pytest.approx(4 * draft.minutes)
    assert shown.costs is not None and usual.costs == shown.costs
    assert draft.costs is not None and sum(draft.costs.ink_ml.values()) == pytest.approx(
        sum(shown.costs.ink_ml.values()) / 2
    )
    assert draft.costs.stock == shown.costs.stock
