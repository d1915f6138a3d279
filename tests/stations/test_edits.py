"""Edits under a revision number, with inverses that survive a reload."""

import pytest

from etiquette.core.errors import JobError
from etiquette.demo.art import art_file
from etiquette.stations import designs, edits
from etiquette.stations.edits import Stale
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.shop import Shop


@pytest.fixture
def design(shop: Shop) -> int:
    name, content = art_file("spark")
    return taking_in.take_in(shop, content, name, None)[0]


def change(shop: Shop, design: int, revision: int | None, **changes: object) -> None:
    shop.database.within(lambda session: editing.change(session, design, revision, "change", changes))


def step(shop: Shop, design: int, way: str) -> str | None:
    def go(session: object) -> str | None:
        row = edits.locked(session, "design", design)  # type: ignore[arg-type]
        return edits.step(session, "design", design, row.revision, way)[1]  # type: ignore[arg-type]

    return shop.database.within(go)


def document(shop: Shop, design: int) -> dict[str, object]:
    return shop.database.within(lambda session: designs.state_of(session, design).document.model_dump())


def test_undo_and_redo_go_back_and_forth_over_many_edits(shop: Shop, design: int) -> None:
    states = [document(shop, design)]
    for offset in (1.0, 2.5, -0.5):
        change(shop, design, None, offset_mm=offset)
        states.append(document(shop, design))
    for state in reversed(states[:-1]):
        assert step(shop, design, "undo") == "change"
        assert document(shop, design) == state
    assert step(shop, design, "undo") is None
    for state in states[1:]:
        step(shop, design, "redo")
        assert document(shop, design) == state
    assert step(shop, design, "redo") is None


def test_a_new_edit_after_an_undo_forgets_what_was_undone(shop: Shop, design: int) -> None:
    change(shop, design, None, offset_mm=1.0)
    change(shop, design, None, offset_mm=3.0)
    step(shop, design, "undo")
    change(shop, design, None, holes="keep")
    assert step(shop, design, "redo") is None
    assert document(shop, design)["offset_mm"] == 1.0


def test_a_stale_revision_is_refused_with_the_current_one(shop: Shop, design: int) -> None:
    change(shop, design, 1, offset_mm=1.0)
    with pytest.raises(Stale) as refused:
        change(shop, design, 1, offset_mm=9.0)
    assert refused.value.revision == 2
    assert document(shop, design)["offset_mm"] == 1.0


def test_a_change_of_the_line_takes_ready_back_and_undo_gives_it_again(shop: Shop, design: int) -> None:
    change(shop, design, None, ready=True)
    change(shop, design, None, offset_mm=4.0)
    assert document(shop, design)["ready"] is False
    step(shop, design, "undo")
    assert document(shop, design)["ready"] is True


def test_values_that_make_no_sense_are_refused_and_change_nothing(shop: Shop, design: int) -> None:
    before = document(shop, design)
    for bad in ({"offset_mm": 1e9}, {"holes": "some"}, {"ground": "red"}, {"wings": 2}, {"width_mm": float("nan")}):
        with pytest.raises((JobError, ValueError)):
            change(shop, design, None, **bad)
    assert document(shop, design) == before
