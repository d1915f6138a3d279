"""Changes of blade over a roll, counted by hand."""

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.changes import Round, changes, frame_by_frame, rounds

TOOLS: dict[Kind, str] = {"crease": "wheel", "kiss": "45°", "perforation": "60°", "through": "60°", "pen": ""}
BOTH: tuple[Kind, ...] = ("kiss", "through")


def test_tool_by_tool_is_one_change_where_frame_by_frame_is_one_for_nearly_every_turn() -> None:
    frames = [BOTH] * 4
    assert rounds(frames, TOOLS) == [Round("45°", ("kiss",)), Round("60°", ("through",))]
    assert changes(rounds(frames, TOOLS), "45°") == 1
    assert changes(frame_by_frame(frames, TOOLS), "45°") == 7  # 45 60 | 45 60 | 45 60 | 45 60
    assert changes(frame_by_frame(frames, TOOLS), "60°") == 8
    assert changes(rounds(frames, TOOLS), "") == 2


def test_one_blade_serves_several_kinds() -> None:
    assert rounds([("perforation", "through")], TOOLS) == [Round("60°", ("perforation", "through"))]
    same = dict.fromkeys(TOOLS, "45°")
    assert len(rounds([("kiss",), ("through",), ("crease",)], same)) == 1
    assert changes(frame_by_frame([BOTH] * 9, same), "45°") == 0


def test_the_order_of_the_kinds_stays_and_a_tool_comes_again_for_it() -> None:
    again: dict[Kind, str] = {"crease": "45°", "kiss": "60°", "through": "45°"}
    found = rounds([("crease",), ("kiss", "through")], again)
    assert [one.tool for one in found] == ["45°", "60°", "45°"]
    assert [kind for one in found for kind in one.kinds] == ["crease", "kiss", "through"]
    # frames that need one tool alone cost nothing frame by frame
    assert changes(frame_by_frame([("kiss",)] * 5, TOOLS), "45°") == 0


def test_a_kind_without_a_tool_takes_what_is_in_the_holder() -> None:
    assert rounds([("pen", "kiss")], TOOLS) == [Round("45°", ("pen", "kiss"))]
    assert rounds([("pen",)], TOOLS) == [Round("", ("pen",))] and changes([Round("", ("pen",))], "60°") == 0
