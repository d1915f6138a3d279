"""Where a frame lies on its stock, and what it says: from either side, at either end of a sheet, words of the shop's
own."""

from dataclasses import replace

import pytest
from shapely import box

from etiquette.core.marking.frame_plans import FramePlan, Reach, Where
from etiquette.core.marking.frames import ARROW_WIDTH_MM, BESIDE_MM, plan_frame
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.marking.pages import plan_page
from etiquette.core.marking.proofs import proof
from etiquette.core.marking.slug_words import slug_of, unknown_in
from etiquette.core.marking.slugs import slug_width_mm

RECIPE, REACH = MarkRecipe(), Reach(1600, 3000)
WORK = (0.0, 0.0, 300.0, 200.0)
FIELDS = {
    "run": "Jars",
    "customer": "Seed swap",
    "job": "J 7",
    "date": "2031-05-04",
    "stock": "Matt 80",
    "operator": "Wren",
}


def planned(where: Where, recipe: MarkRecipe = RECIPE, slug: str = "AB2CD3-1 Jars", side: str = "left") -> FramePlan:
    return plan_frame(WORK, 1000, recipe, REACH, "AB2CD3", slug, where, arrow_side=side)  # type: ignore[arg-type]


@pytest.mark.parametrize("recipe", [RECIPE, replace(RECIPE, place="stock", inset_mm=20.0)])
def test_a_frame_from_the_right_is_one_from_the_left_seen_from_there(recipe: MarkRecipe) -> None:
    left = planned(Where(990, from_edge_mm=40), recipe)
    right = planned(Where(990, from_edge_mm=40, side="right"), recipe)
    assert left.work[0] < 500 < right.work[2]
    assert (right.work[0], right.work[2]) == pytest.approx((1000 - left.work[2], 1000 - left.work[0]))
    mirrored = sorted((1000 - mark.x, mark.y) for mark in left.marks)
    assert sorted((mark.x, mark.y) for mark in right.marks) == [pytest.approx(one) for one in mirrored]
    # work and the shift that brings it there agree
    assert right.shift[0] == pytest.approx(right.work[0])


def test_marks_at_the_edges_of_the_stock_stay_and_only_the_work_moves() -> None:
    recipe = replace(RECIPE, place="stock", inset_mm=20.0)
    middle, left = planned(Where(990), recipe), planned(Where(990, from_edge_mm=5), recipe)
    assert [(mark.x, mark.y) for mark in middle.marks] == [(mark.x, mark.y) for mark in left.marks]
    assert middle.work[0] == pytest.approx(350)
    assert left.work[0] - (20 + RECIPE.out_mm + RECIPE.aside_mm) == pytest.approx(0)  # as near as the marks let it
    assert proof(left, recipe, [box(*left.work)]) == []


def test_a_sheet_holds_its_frame_at_the_head_in_the_middle_or_at_the_tail() -> None:
    head, middle, tail = (planned(Where(990, sheet_mm=700, along=at)) for at in ("head", "middle", "tail"))  # type: ignore[arg-type]
    assert {one.length_mm for one in (head, middle, tail)} == {700}
    spare = 700 - planned(Where(990)).length_mm
    assert middle.work[1] - head.work[1] == pytest.approx(spare / 2)
    assert tail.work[1] - head.work[1] == pytest.approx(spare)
    # what is left free lies before the head, and behind a frame at the tail
    free = planned(Where(990, sheet_mm=700, along="tail", lead_mm=30))
    assert free.work[1] == pytest.approx(tail.work[1] - 30)
    last = max(mark.y for mark in tail.marks)
    assert max(mark.y for mark in free.marks) == pytest.approx(last - 30)


def test_the_arrow_and_the_slug_change_sides_and_nothing_meets() -> None:
    for slug in ("AB2CD3-1 Jars and much more than the row can hold, word after word after word", "AB2CD3-1", ""):
        for work in (WORK, (0.0, 0.0, 20.0, 20.0)):
            for count in ("4", "more", "none"):
                recipe = replace(RECIPE, count=count)  # type: ignore[arg-type]
                plan = plan_frame(work, 1000, recipe, REACH, "AB2CD3", slug, Where(990), True, "right")
                assert proof(plan, recipe, [box(*plan.work)]) == []
                left, right = min(mark.x for mark in plan.marks or planned(Where(990)).marks), plan.work[2]
                x = plan.slug_at[0]
                assert not slug or x + slug_width_mm(plan.slug) < plan.codes[0].x < plan.arrow.bounds[0]
                assert not plan.marks or x == pytest.approx(left + recipe.out_mm + BESIDE_MM)
                assert plan.arrow.bounds[2] - plan.arrow.bounds[0] == pytest.approx(ARROW_WIDTH_MM)
                assert right > plan.work[0]
    assert planned(Where(990)).codes == planned(Where(990), side="right").codes  # readers wait where they did


def test_a_page_with_codes_lies_where_it_is_asked_to() -> None:
    marks = [(10.0, 10.0), (190.0, 10.0), (10.0, 290.0), (190.0, 290.0)]
    left, right = (
        plan_page(
            (200, 300), marks, 1000, REACH, "AB2CD3", Where(990, from_edge_mm=30, side=side), RECIPE, "AB2CD3-1", side
        )  # type: ignore[arg-type]
        for side in ("left", "right")
    )
    assert (left.work[0], 1000 - right.work[2]) == (30, 30)
    assert left.arrow.bounds[0] < left.codes[0].x < left.slug_at[0]
    assert right.slug_at[0] + slug_width_mm(right.slug) < right.codes[0].x < right.arrow.bounds[0]
    sheet = plan_page((200, 300), marks, 1000, REACH, "AB2CD3", Where(990, sheet_mm=500, along="tail"))
    assert (sheet.work[3], sheet.length_mm) == (500, 500)


def test_a_slug_says_what_it_is_told_to() -> None:
    assert slug_of("AB2CD3", 2, FIELDS) == "AB2CD3-2 Jars · Seed swap · 2031-05-04"
    assert slug_of("AB2CD3", 2, {**FIELDS, "customer": ""}) == "AB2CD3-2 Jars · 2031-05-04"
    assert slug_of("AB2CD3", 2, FIELDS, "") == ""
    assert slug_of("AB2CD3", 2, FIELDS, "{job} on {stock}") == "AB2CD3-2 J 7 on Matt 80"
    assert slug_of("AB2CD3", 2, FIELDS, "laid by {operator}") == "AB2CD3-2 laid by Wren"
    # what is empty leaves no hole, and what a customer is called is never read as a field
    assert slug_of("AB2CD3", 2, {**FIELDS, "customer": ""}, "for {customer} by hand") == "AB2CD3-2 for by hand"
    assert slug_of("AB2CD3", 2, {**FIELDS, "customer": "{stock}"}, "{customer}") == "AB2CD3-2 {stock}"
    assert [unknown_in(words) for words in ("{job}", "{price}", "a } b", "{", "{}", "plain")] == [
        None, "{price}", "}", "{", "{}", None,
    ]  # fmt: skip
