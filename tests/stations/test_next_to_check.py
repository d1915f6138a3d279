"""Which design of a job is looked at after one."""

import pytest

from etiquette.core.errors import NotThere
from etiquette.demo.art import art_file
from etiquette.stations import line_finding
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.lines.checking import Waits, next_of_job
from etiquette.stations.shop import Shop
from etiquette.store.models import Design
from tests.stations.shop_floor import do


def test_the_next_after_it_then_from_the_first_on_and_none_of_another_job(shop: Shop) -> None:
    spark = art_file("spark")[1]
    files = [taking_in.ArtFile(f"{name}.png", lambda: spark) for name in ("one", "two", "three", "four")]
    one, two, three, four = taking_in.take_in_together(shop, files, None)
    taking_in.take_in(shop, spark, "elsewhere.png", None)

    def after(design: int) -> Waits:
        return shop.database.within(lambda session: next_of_job(session, design))

    def change(design: int, **changes: object) -> None:
        shop.database.within(lambda session: editing.change(session, design, None, "as asked", changes))

    assert after(one) == Waits(3, two, "Two", lineless=True)
    do(shop, line_finding.find_lines, design_id=two)
    assert not after(one).lineless
    change(two, ready=True)
    assert (after(one).id, after(one).waiting) == (three, 2) and after(three).id == four
    assert after(four).id == one  # from the first on
    change(three, width_mm=None)
    assert not after(one).lineless  # without a size nothing can be found
    shop.database.within(lambda session: setattr(session.get_one(Design, four), "away", True))
    assert after(three) == Waits(1, one, "One")  # the same art as two, so the same line
    change(one, ready=True)
    assert after(three) == Waits(0)
    with pytest.raises(NotThere):
        after(999)
