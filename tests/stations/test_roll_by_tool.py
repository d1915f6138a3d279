"""A roll or a mat whose sheets need two blades, on a cutter that holds one: one goes over all of it, then the next."""

from io import BytesIO

import pikepdf
import pytest
import svgelements

from etiquette.core.artwork.line_rules import DEFAULT_RULES
from etiquette.core.errors import JobError
from etiquette.demo import hands
from etiquette.files.line_rules import RulesFile
from etiquette.stations import cut_files, line_rules, run_edits, sheet_log
from etiquette.stations.bench import mats, rolls
from etiquette.stations.bench.schemas import RollPlanAsked
from etiquette.stations.print import following, plating, previews, sending
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.stations.tools import put_in
from tests.stations.shop_floor import do, sheet_of
from tests.stations.test_vector_designs import found, taken
from tests.vector_art import label_pdf


def two_frames(shop: Shop) -> list[int]:
    design = taken(shop, label_pdf(), "label.pdf", width_mm=60.0)
    found(shop, design)
    run = shop.database.within(lambda session: run_edits.create(session, "Labels", [{"design_id": design, "count": 6}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    (plate,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    hands.put_roll_on(shop, run)
    sheets = []
    for seed in (1, 2):
        sheet = shop.database.within(lambda session: sending.new_sheet(session, plate))
        do(shop, following.print_plate, sheet_id=sheet)
        do(shop, hands.put_film_on, sheet_id=sheet, seed=seed)
        sheets.append(sheet)
    return sheets


def cut(shop: Shop, sheets: list[int], **more: object) -> dict[str, object]:
    hands.lay_several(shop, sheets, "roll", ["head"] * len(sheets))
    return do(shop, rolls.cut_roll, sheet_ids=sheets, end="head", **more)


def test_each_blade_goes_over_the_whole_roll_once(room: Shop) -> None:
    sheets = two_frames(room)
    names = [sheet_of(room, one).name for one in sheets]
    room.database.within(lambda session: put_in(session, 1, "45° blade"))
    plan = rolls.plan_of(room, RollPlanAsked(sheet_ids=sheets))
    assert [(one.tool, one.kinds) for one in plan.rounds] == [("45° blade", ["kiss"]), ("60° blade", ["through"])]
    assert (plan.by_tool, plan.by_frame, plan.frames) == (1, 3, 2)

    assert cut(room, sheets, kinds=["kiss"])["cut"] == names
    rows = [sheet_of(room, one) for one in sheets]
    assert [row.state for row in rows] == ["laminated", "laminated"]  # back on the roll, and not called cut
    kissed = [set(row.progress.done) for row in rows if row.progress]
    assert all(len(one) == 6 for one in kissed)
    assert "through with kiss" in room.database.within(sheet_log.latest)[0].words

    plan = rolls.plan_of(room, RollPlanAsked(sheet_ids=sheets))
    assert [(one.tool, one.kinds) for one in plan.rounds] == [("60° blade", ["through"])] and plan.by_tool == 1
    assert cut(room, sheets, ready="60° blade")["cut"] == names
    rows = [sheet_of(room, one) for one in sheets]
    assert [(row.state, row.good) for row in rows] == [("cut", 6), ("cut", 6)]
    assert [row.reading is not None for row in rows] == [True, True]  # read again for the second blade


def test_files_for_other_programs_carry_what_is_ticked_under_the_shops_names(room: Shop) -> None:
    """Kiss and through lines on one frame; read again by svgelements and pikepdf."""
    plate = sheet_of(room, two_frames(room)[0]).plate
    names = RulesFile.of(DEFAULT_RULES).model_copy(update={"names": {"through": "Stans buiten"}})
    room.database.within(lambda session: line_rules.keep_rules(session, 0, names))
    ids: dict[tuple[str, ...], set[str]] = {}
    for kinds in (("kiss",), ("through",), ("kiss", "through")):
        (head, _) = cut_files.cut_files_of(room, plate, "laser svg", list(kinds)).values()  # type: ignore[arg-type]
        groups = [one for one in svgelements.SVG.parse(BytesIO(head)) if isinstance(one, svgelements.Group)]
        ids[kinds] = {str(group.id) for group in groups}
    assert [ids[kinds] - {"marks"} for kinds in ids] == [{"kiss"}, {"Stans_buiten"}, {"kiss", "Stans_buiten"}]
    with pikepdf.open(BytesIO(previews.companion_of(room, plate, ["through"]))) as pdf:
        assert [str(group.Name) for group in pdf.Root.OCProperties.OCGs] == ["Stans buiten"]
    with pytest.raises(JobError, match="kinds that are ticked"):
        previews.companion_of(room, plate, ["pen"])


def test_each_blade_goes_over_the_whole_mat_once(room: Shop) -> None:
    sheets = two_frames(room)
    names = [sheet_of(room, one).name for one in sheets]
    room.database.within(lambda session: put_in(session, 1, "45° blade"))
    hands.lay_several(room, sheets, "mat", ["head", "tail"])
    assert do(room, mats.cut_mat, sheet_ids=sheets, kinds=["kiss"])["cut"] == names
    rows = [sheet_of(room, one) for one in sheets]
    assert [row.state for row in rows] == ["laminated", "laminated"]
    assert [len(set(row.progress.done)) for row in rows if row.progress] == [6, 6]
    assert "The mat is through with kiss" in room.database.within(sheet_log.latest)[0].words
    assert do(room, mats.cut_mat, sheet_ids=sheets, ready="60° blade")["cut"] == names
    assert [(row.state, row.good) for row in map(lambda one: sheet_of(room, one), sheets)] == [("cut", 6), ("cut", 6)]


def test_a_frame_without_lines_for_a_tool_is_passed_by(room: Shop) -> None:
    sheets = two_frames(room)
    room.database.within(lambda session: put_in(session, 1, "45° blade"))
    assert cut(room, sheets[:1], kinds=["kiss"])["cut"] == [sheet_of(room, sheets[0]).name]
    once = sheet_of(room, sheets[0]).progress
    assert cut(room, sheets, kinds=["kiss"])["cut"] == [sheet_of(room, one).name for one in sheets]
    assert sheet_of(room, sheets[0]).progress == once and once is not None  # nothing of it was cut again
