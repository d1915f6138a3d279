"""Art as wide as a stock allows: what is offered fits, and hardly anything more does."""

from io import BytesIO

from PIL import Image

from etiquette.stations import designs, run_edits
from etiquette.stations.lines.widest import WidestOn, widest
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Roll, Stock
from tests.stations.shop_floor import do, fill_shelf
from tests.stations.test_plates import change
from tests.stations.test_vector_designs import taken


def banner() -> bytes:
    out = BytesIO()
    Image.new("RGB", (500, 50), (40, 90, 130)).save(out, "PNG")
    return out.getvalue()


def offered(shop: Shop, design: int) -> list[WidestOn]:
    return shop.database.within(lambda session: widest(session, designs.state_of(session, design).document))


def test_the_width_that_is_offered_fits_and_half_a_millimetre_more_does_not(shop: Shop) -> None:
    """A rectangle with a line 3 mm round it, laid upright: with any width the work takes 6 mm more."""
    shop.database.within(fill_shelf)
    design = taken(shop, banner(), "banner.png", width_mm=100.0, follow="page", offset_mm=3.0, turning="none")
    run = shop.database.within(lambda session: run_edits.create(session, "Banner", [{"design_id": design, "count": 1}]))
    (most,) = offered(shop, design)
    assert most.stock == "White 600" and 500 < most.width_mm < 594
    for width, left_over in ((most.width_mm, 0), (most.width_mm + 0.5, 1)):
        change(shop, design, width_mm=width)
        assert do(shop, nesting.nest_run, run_id=run, steps=1)["unplaced"] == left_over
    change(shop, design, offset_mm=0.0)
    assert offered(shop, design)[0].width_mm == most.width_mm + 6


def test_every_stock_with_a_roll_is_offered_once_the_widest_first(shop: Shop) -> None:
    shop.database.within(fill_shelf)

    def more(session) -> None:  # type: ignore[no-untyped-def]
        session.add(Stock(name="Wide 900", width_mm=900, price_m2=4, currency="EUR", tolerance_mm=0.3))
        session.add(Stock(name="No roll", width_mm=1200, price_m2=4, currency="EUR", tolerance_mm=0.3))
        session.flush()
        session.add_all([Roll(stock_id=2, name=f"Wide {name}", length_mm=9000, remaining_mm=900) for name in "AB"])

    shop.database.within(more)
    design = taken(shop, banner(), "banner.png", width_mm=100.0)
    wide, narrow = offered(shop, design)
    assert (wide.stock, narrow.stock) == ("Wide 900", "White 600")
    assert round(wide.width_mm - narrow.width_mm, 1) == 300
