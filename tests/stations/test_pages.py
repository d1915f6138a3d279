"""A page that was made ready by another program, with its marks and lines: it is a frame by itself, is printed as it
is, and is cut without a code, or with one of ours beside it."""

from collections.abc import Callable, Iterator
from typing import Any

import httpx
import numpy as np
import pytest
from shapely import box
from sqlalchemy import select

from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.finishing.piece_outlines import pieces_apart
from etiquette.core.geometry.paths import Path as Curve
from etiquette.core.marking.proofs import proof
from etiquette.demo import hands
from etiquette.files.documents.runs import RunDocument
from etiquette.stations import cut_files, designs, run_edits, runs
from etiquette.stations.bench import counting, cutting, mark_reading, mats, rolls
from etiquette.stations.lines import editing, page_marks, taking_in
from etiquette.stations.print import following, plating, preflight, sending
from etiquette.stations.run import laying, nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Plate, Run
from tests.pages import DECALS, EIGHT, HIGH_MM, WIDE_MM, page_svg
from tests.signed_in import signed_in
from tests.stations.shop_floor import cut_report, do, fill_shelf, sheet_of


def taken_in(shop: Shop, svg: bytes, name: str = "page.svg") -> int:
    (design,) = taking_in.take_in(shop, svg, name, None, {"follow": "none"})
    page_marks.find(shop, design, revision_of(shop, design), None)
    return design


def revision_of(shop: Shop, design: int) -> int:
    return shop.database.within(lambda session: designs.state_of(session, design).design.revision)


def paged(shop: Shop, svg: bytes | None = None, count: int = 1) -> tuple[int, int]:
    """A run of a page: the design and the run, laid."""
    design = taken_in(shop, svg or page_svg())
    run = shop.database.within(
        lambda session: run_edits.create(session, "Harbour fair", [{"design_id": design, "count": count}])
    )
    do(shop, nesting.nest_run, run_id=run, steps=1)
    return design, run


def document_of(shop: Shop, run: int) -> RunDocument:
    return shop.database.within(lambda session: session.get_one(Run, run).document)


def printed(shop: Shop, run: int) -> int:
    (plate, *_) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    hands.put_roll_on(shop, run)
    sheet = shop.database.within(lambda session: sending.new_sheet(session, plate))
    do(shop, following.print_plate, sheet_id=sheet)
    do(shop, hands.put_film_on, sheet_id=sheet, seed=21, anyway=True)
    return sheet


def test_every_copy_of_a_page_is_a_frame_with_its_own_marks_and_no_code(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    _, run = paged(shop, count=2)
    state = shop.database.within(lambda session: runs.state_of(shop, session, run))
    assert state.document.laying == "page" and len(state.plans) == 2 and state.trouble is None
    for plan in state.plans:
        assert plan.own_marks and plan.codes == () and plan.length_mm == pytest.approx(HIGH_MM, abs=0.01)
        assert (plan.width_mm, plan.shift) == (600, (pytest.approx((600 - WIDE_MM) / 2, abs=0.01), 0))
        places = np.array([(mark.x - plan.shift[0], mark.y) for mark in plan.marks])
        truth = np.array(EIGHT)
        assert max(np.hypot(*(truth - one).T).min() for one in places) < 0.02
    assert len({plan.code for plan in state.plans}) == 2  # a name each, for files and prints, though none is printed
    said = shop.database.within(
        lambda session: preflight.preflight(shop, session, state, JobError("Nobody asked.", "printer", "Ask."))
    )
    assert any("none is printed again" in one.words for one in said) and not any(one.state == "stop" for one in said)


@pytest.mark.parametrize("end", ["head", "tail"])
def test_it_is_read_and_cut_without_a_code(room: Shop, end: str) -> None:
    _, run = paged(room)
    sheet = printed(room, run)
    with pytest.raises(JobError, match="has to be said that it lies there"):
        do(room, mark_reading.read_sheet, sheet_id=sheet)
    hands.lay(room, sheet, end)  # type: ignore[arg-type]
    found = do(room, mark_reading.read_sheet, sheet_id=sheet)
    reading = sheet_of(room, sheet).reading
    assert found["verdict"] == "go" and reading is not None and (reading.end, reading.code) == (end, "")
    assert do(room, cutting.cut_sheet, sheet_id=sheet)["state"] == "done"
    report = cut_report(room, sheet)
    assert report.cut and report.cut.worst_mm <= 0.3 and report.without and report.without.worst_mm > 1.0
    # the decals of the page are its pieces: one that is spoiled is printed again with its page
    assert sheet_of(room, sheet).pieces == len(DECALS)
    room.database.within(lambda session: counting.mark_spoiled(session, sheet, [2, 5]))
    again = room.database.within(lambda session: counting.reprint(session, sheet))
    assert [one.count for one in document_of(room, again).items] == [1]
    assert document_of(room, again).laying == "page"


def with_codes(shop: Shop, run: int) -> None:
    shop.database.within(lambda session: run_edits.change(session, run, None, "codes", {"page_codes": True}))


def test_codes_of_ours_stand_before_and_behind_a_page_if_wanted(shop: Shop) -> None:
    """The page is not moved from its lower edge but by the row before it; nothing of a row lies on the page."""
    shop.database.within(fill_shelf)
    _, run = paged(shop, count=2)
    bare = shop.database.within(lambda session: runs.state_of(shop, session, run)).plans
    with_codes(shop, run)
    state = shop.database.within(lambda session: runs.state_of(shop, session, run))
    assert state.fresh and len(state.plans) == 2 and state.trouble is None
    for plan, before in zip(state.plans, bare, strict=True):
        assert plan.own_marks and [one.code.end for one in plan.codes] == ["head", "tail"]
        # the margins of the mark set of the shop, and both rows
        row = (plan.length_mm - before.length_mm - 10.16 - 30.48) / 2
        assert plan.shift == (before.shift[0], pytest.approx(10.16 + row)) and 10 < row < 40
        moved, places = (np.array([(mark.x, mark.y) for mark in one.marks]) for one in (plan, before))
        assert moved - (0, plan.shift[1]) == pytest.approx(places)
        assert proof(plan, state.kit.recipe, [box(*plan.work)]) == []
        assert plan.slug.startswith(plan.code)
    said = shop.database.within(
        lambda session: preflight.preflight(shop, session, state, JobError("Nobody asked.", "printer", "Ask."))
    )
    assert any("used nowhere else" in one.words for one in said) and not any(one.state == "stop" for one in said)
    assert not any("Without a code" in one.words for one in said)


def test_pages_with_codes_are_cut_from_one_roll_whichever_lies_first(room: Shop) -> None:
    """Neither is said to lie there, and which end is first is read too."""
    _, run = paged(room, count=2)
    with_codes(room, run)
    plates = do(room, plating.make_plates, run_id=run)["plate_ids"]
    hands.put_roll_on(room, run)
    sheets = [room.database.within(lambda session: sending.new_sheet(session, plate)) for plate in plates]  # noqa: B023
    for seed, sheet in enumerate(sheets):
        do(room, following.print_plate, sheet_id=sheet)
        do(room, hands.put_film_on, sheet_id=sheet, seed=21 + seed, anyway=True)
    hands.lay_several(room, sheets, "roll", ["tail"] * 2)
    done = do(room, rolls.cut_roll, sheet_ids=sheets, end="tail")
    assert done["aside"] == {} and len(done["cut"]) == 2
    for sheet in sheets:
        report = cut_report(room, sheet)
        assert report.cut and report.cut.worst_mm <= 0.3
        reading = sheet_of(room, sheet).reading
        assert reading is not None and reading.end == "tail" and reading.code


def test_a_page_that_lies_the_other_way_round_is_told_by_its_marks(room: Shop) -> None:
    """Seven marks are no mirror of themselves: what was said of the end is corrected by what is seen."""
    _, run = paged(room, page_svg(EIGHT[:3] + EIGHT[4:7]))
    sheet = printed(room, run)
    hands.lay(room, sheet, "tail")
    mark_reading.load(room, sheet, "head")  # hands say so; it lies tail first
    do(room, mark_reading.read_sheet, sheet_id=sheet)
    reading = sheet_of(room, sheet).reading
    assert reading is not None and reading.end == "tail" and reading.fit.verdict == "go"


def test_cut_files_of_a_page_are_named_and_carry_both_ends(room: Shop) -> None:
    _, run = paged(room)
    (plate,) = do(room, plating.make_plates, run_id=run)["plate_ids"]
    row = room.database.within(lambda session: session.scalars(select(Plate).where(Plate.id == plate)).one())
    code = row.summary.code
    assert len(code) == 6 and row.summary.plan.codes == ()
    sheet = room.database.within(lambda session: sending.new_sheet(session, plate))
    assert sheet_of(room, sheet).name == f"{code}-1"
    files = cut_files.cut_files_of(room, row)
    assert set(files) == {f"{code}-H.plt", f"{code}-T.plt"}


def test_pages_stay_as_they_came(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    design, run = paged(shop)
    step = laying.HandStep(do="turn", keys=[f"{design}-1"])
    with pytest.raises(JobError, match="stay as they came"):
        shop.database.within(lambda session: laying.lay_by_hand(shop, session, run, revision(session, run), step))
    with pytest.raises(JobError, match="stay as they came"):
        wish = laying.FillWish(design_ids=[design])
        shop.database.within(lambda session: laying.fill(shop, session, run, revision(session, run), wish))


def revision(session: object, run: int) -> int:
    return int(session.get_one(Run, run).revision)  # type: ignore[attr-defined]


def test_marks_follow_the_size_and_are_gone_with_the_art(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    design, run = paged(shop)
    shop.database.within(lambda session: editing.change(session, design, None, "width", {"width_mm": 150.0}))
    own = shop.database.within(lambda session: designs.own_marks_of(designs.state_of(session, design)))
    assert own is not None and own[0].size_mm == pytest.approx(3.0, abs=0.05)
    assert max(x for x, _ in own[1]) == pytest.approx(144.0, abs=0.02)
    # a run that was laid has to be laid anew: its marks are elsewhere
    assert not shop.database.within(lambda session: runs.state_of(shop, session, run)).fresh
    taking_in.replace_art(shop, design, page_svg(marks=[]), "newer.svg")
    assert shop.database.within(lambda session: designs.own_marks_of(designs.state_of(session, design))) is None
    with pytest.raises(JobError, match="no marks of its own"):
        do(shop, nesting.nest_run, run_id=run, steps=1)
    with pytest.raises(JobError, match="No marks are found"):
        page_marks.find(shop, design, revision_of(shop, design), None)


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    with signed_in(shop) as made:
        yield made


def test_a_page_of_unknown_size_is_asked_for_it(client: httpx.Client) -> None:
    svg = page_svg().replace(b'width="300mm" height="400mm"', b"")
    made = client.post("/api/designs", files={"file": ("page.svg", svg)}).json()["ids"][0]
    shown = client.get(f"/api/designs/{made}").json()
    if shown["document"]["width_mm"] is None:
        refused = client.post(f"/api/designs/{made}/marks", json={"revision": shown["revision"]})
        assert refused.status_code == 422 and "no size" in refused.json()["title"]
    client.post(
        f"/api/designs/{made}/edits",
        json={"revision": shown["revision"], "words": "width", "changes": {"width_mm": 300}},
    ).raise_for_status()
    shown = client.get(f"/api/designs/{made}").json()
    found = client.post(f"/api/designs/{made}/marks", json={"revision": shown["revision"], "at": [150.5, 12]}).json()
    assert len(found["document"]["own_marks"]["places"]) == len(EIGHT) and found["undo"] == "8 marks of its own"
    nothing = client.post(f"/api/designs/{made}/marks", json={"revision": found["revision"], "at": [150, 100]})
    assert nothing.status_code == 422 and "no mark where you pointed" in nothing.json()["title"]
    stale = client.post(f"/api/designs/{made}/marks", json={"revision": shown["revision"]})
    assert stale.status_code == 409


def ring(kind: str, x: float, y: float, side: float) -> FinishLine:
    return FinishLine(kind, Curve.from_points([(x, y), (x + side, y), (x + side, y + side), (x, y + side)]))  # type: ignore[arg-type]


def test_pieces_of_a_page_are_told_apart() -> None:
    lines = [
        ring("through", 0, 0, 100),  # round all: it parts the sheet
        ring("kiss", 10, 10, 20), ring("kiss", 15, 15, 5),  # with a hole
        ring("kiss", 50, 10, 20),
        ring("through", 40, 50, 30), ring("kiss", 45, 55, 20),  # a sticker on its own backing
        FinishLine("crease", Curve.from_points([(12, 20), (28, 20)], closed=False)),
        FinishLine("perforation", Curve.from_points([(0, 200), (100, 200)], closed=False)),
    ]  # fmt: skip
    assert [one.piece for one in pieces_apart(lines)] == [None, 1, 1, 2, 3, 3, 1, None]
    # a kiss cut with a hole, on its backing: the backing parts no sheet
    assert [one.piece for one in pieces_apart([ring("through", 0, 0, 40), *lines[1:3]])] == [1, 1, 1]


@pytest.mark.parametrize(("task", "more"), [(rolls.cut_roll, {"end": "head"}), (mats.cut_mat, {})])
def test_among_others_a_page_without_a_code_is_refused(
    room: Shop, task: Callable[..., Any], more: dict[str, str]
) -> None:
    """The tail marks of the page before it look like its own head marks."""
    _, run = paged(room)
    (plate,) = do(room, plating.make_plates, run_id=run)["plate_ids"]
    sheet = room.database.within(lambda session: sending.new_sheet(session, plate))
    with pytest.raises(JobError, match="nothing tells where it begins"):
        do(room, task, sheet_ids=[sheet], **more)
