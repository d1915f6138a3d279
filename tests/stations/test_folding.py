"""Designs that are folded: panels from their lines, what ink lies where it should not, angles as edits; and forms that
become designs."""

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.stations import edits, line_finding, run_edits, runs
from etiquette.stations.designs import state_of
from etiquette.stations.floor import proofs
from etiquette.stations.lines import folding, taking_in
from etiquette.stations.lines.folding_schemas import FoldShown, FormAsked, FormMade
from etiquette.stations.print.preflight import preflight
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.stations.tools import cards_of
from etiquette.store.models import Cutter, Printer, Stock, ToolCard
from tests.stations.shop_floor import do, fill_shelf

TUBE = """<svg xmlns="http://www.w3.org/2000/svg" width="132mm" height="60mm" viewBox="0 0 132 60">
<rect x="{flap}" y="0" width="{wide}" height="60" fill="#2f6f4f"/>
<g id="crease" fill="none" stroke="#f0f" stroke-width="0.1">
<path d="M12 0V60"/><path d="M52 0V60"/><path d="M72 0V60"/><path d="M112 0V60"/></g>
<g id="through" fill="none" stroke="#f00" stroke-width="0.1"><path d="M0 0H132V60H0Z"/></g></svg>"""
"""A tube of 40 x 20 mm with a glue flap of 12 mm on the left."""


def taken_in(shop: Shop, svg: str) -> int:
    (design,) = taking_in.take_in(shop, svg.encode(), "tube.svg", None)
    do(shop, line_finding.find_lines, design_id=design)
    return design


def shown(shop: Shop, design: int) -> FoldShown:
    return shop.database.within(lambda session: folding.fold_shown(shop, session, design))


@pytest.mark.parametrize(("flap", "wide", "glued"), [(0, 132, True), (12, 120, False)])
def test_ink_on_a_glue_flap_is_told_and_only_there(shop: Shop, flap: int, wide: int, glued: bool) -> None:
    folds = shown(shop, taken_in(shop, TUBE.format(flap=flap, wide=wide)))
    assert (len(folds.panels), len(folds.hinges), folds.trouble) == (5, 4, None)
    told = [one for one in folds.findings if "glue does not hold" in one.words]
    assert bool(told) == glued
    if glued:
        assert (told[0].x, told[0].y) == (pytest.approx(6, abs=0.1), pytest.approx(30, abs=0.1))
    # the other creases carry ink on both of their sides
    creased = [one.x for one in folds.findings if one.tone == "note"]
    assert {52.0, 72.0, 112.0} <= set(map(round, creased))


def test_an_angle_is_an_edit_that_can_be_undone_and_asks_nobody_again(shop: Shop) -> None:
    design = taken_in(shop, TUBE.format(flap=12, wide=120))
    before = shown(shop, design)
    assert {hinge.degrees for hinge in before.hinges} == {90.0}
    chosen = before.hinges[1]
    middle = ((chosen.start[0] + chosen.end[0]) / 2, (chosen.start[1] + chosen.end[1]) / 2)

    def fold(session: object) -> None:
        state = state_of(session, design)  # type: ignore[arg-type]
        changes = {"folds": [{"x_mm": middle[0], "y_mm": middle[1], "degrees": -45.0}]}
        edits.apply(session, "design", design, state.design.revision, "folded", changes)  # type: ignore[arg-type]

    shop.database.within(fold)
    after = shown(shop, design)
    assert [hinge.degrees for hinge in after.hinges] == [-45.0 if hinge == chosen else 90.0 for hinge in before.hinges]
    # a fold is looked at; what the customer said yes to is the same print and the same cut
    assert "folds" in proofs.NEVER_ASKED
    state = shop.database.within(lambda session: state_of(session, design))
    shop.database.within(lambda session: edits.step(session, "design", design, state.design.revision, "undo"))
    assert {hinge.degrees for hinge in shown(shop, design).hinges} == {90.0}


def test_what_cannot_be_folded_says_why(shop: Shop) -> None:
    plain = TUBE.format(flap=0, wide=132).replace('id="crease"', 'id="pen"')
    folds = shown(shop, taken_in(shop, plain))
    assert folds.panels == [] and folds.trouble is not None and "no crease" in folds.trouble


def test_a_form_becomes_a_design_with_its_lines(shop: Shop) -> None:
    sizes = {"width_mm": 60, "depth_mm": 30, "height_mm": 100, "glue_mm": 12}
    asked = FormAsked(kind="tuck-end box", **sizes)  # type: ignore[arg-type]
    form = folding.form_shown(asked)
    assert [line.kind for line in form.lines].count("crease") == 12 and form.trouble is None
    design = folding.make_form(shop, FormMade(name="Bell box", **asked.model_dump()))
    do(shop, line_finding.find_lines, design_id=design)
    folds = shown(shop, design)
    assert (len(folds.panels), len(folds.hinges)) == (13, 12)
    assert folds.findings == []  # nothing is printed on it yet
    assert (folds.width_mm, folds.height_mm) == (pytest.approx(form.width_mm), pytest.approx(form.height_mm))
    none = folding.form_shown(FormAsked(kind="tube", width_mm=60, height_mm=100))
    assert none.trouble is not None and "every size" in none.trouble
    with pytest.raises(JobError, match="every size"):
        folding.make_form(shop, FormMade(kind="tube", width_mm=60, height_mm=100, name="x"))


def test_ink_that_cannot_bend_is_told_before_a_run_is_sent(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    design = taken_in(shop, TUBE.format(flap=0, wide=132))
    run = shop.database.within(lambda session: run_edits.create(session, "C", [{"design_id": design, "count": 1}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)

    def told(session: Session, bends: bool) -> list[str]:
        for printer in session.scalars(select(Printer)):
            printer.ink_bends = bends
        session.flush()
        state = runs.state_of(shop, session, run)
        return [one.words for one in preflight(shop, session, state, JobError("Nobody asked.", "x", "Ask."))]

    assert not any("cracks" in one for one in shop.database.within(lambda session: told(session, True)))
    (words,) = [one for one in shop.database.within(lambda session: told(session, False)) if "cracks" in one]
    assert words.endswith("lies on creases: Tube (4)")


def test_a_cutter_is_told_the_grain_of_the_stock_with_its_cards(shop: Shop) -> None:
    shop.database.within(fill_shelf)

    def grained(session: Session) -> list[tuple[str, int]]:
        cutter, stock = session.query(Cutter).first(), session.query(Stock).first()
        assert cutter is not None and stock is not None
        stock.grain = "across"
        row = ToolCard(cutter_id=cutter.id, stock_id=stock.id, kind="score", name="x", passes_across=2)
        held = session.query(ToolCard).filter_by(cutter_id=cutter.id, stock_id=stock.id, kind="score").one_or_none()
        if held is None:
            session.add(row)
        else:
            held.passes_across = 2
        session.flush()
        cards = cards_of(session, cutter.id, stock.id)
        return [(card.grain, card.passes_across) for kind, card in cards.items() if kind in ("score", "pen")]

    assert sorted(shop.database.within(grained)) == [("across", 0), ("across", 2)]
