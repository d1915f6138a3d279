"""Print and the command `etiquette plates` make the same run into the same files, byte for byte."""

import json
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest

from etiquette.cli.run_plates import make_run
from etiquette.core.errors import JobError
from etiquette.demo.art import art_file
from etiquette.files.contracts import parse_file
from etiquette.files.run_file import RunFile
from etiquette.stations import line_finding, plate_sets, run_edits, runs
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Frame, Plate, SpecialInk, Stock
from tests.stations.shop_floor import do, fill_shelf
from tests.vector_art import label_pdf

MARKS = ("shape", "ink", "size_mm", "stroke_mm", "clear_mm", "count", "spacing_mm", "place", "inset_mm",
         "head_margin_mm", "tail_margin_mm", "code")  # fmt: skip


def taken(shop: Shop, name: str, art: bytes, **asked: Any) -> int:
    (design,) = taking_in.take_in(shop, art, name, None, asked)
    return design


def plated(shop: Shop, counts: dict[int, int], **changes: Any) -> tuple[int, list[Plate]]:
    """A run of so many of each design, and what Print makes of it."""
    for design in counts:
        do(shop, line_finding.find_lines, design_id=design)
    items = [{"design_id": design, "count": count} for design, count in counts.items()]
    run = shop.database.within(lambda session: run_edits.create(session, "Both ways", items))
    shop.database.within(lambda session: run_edits.change(session, run, None, "settings", changes))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    made = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    return run, [shop.database.within(lambda session, i=i: plate_sets.plate_there(session, i)) for i in made]


def run_file(shop: Shop, run: int, designs: Sequence[dict[str, Any]], **more: Any) -> dict[str, Any]:
    """The same run as RUN.json says it."""
    state = shop.database.within(lambda session: runs.state_of(shop, session, run))
    document = state.document
    assert document.layout is not None
    codes = shop.database.within(
        lambda session: {row.number: row.code for row in session.query(Frame).filter(Frame.run_id == run)}
    )
    widths = {str(key): design.document.width_mm for key, design in state.designs.items()}
    stock = {"width_mm": state.stock.width_mm, "ground": state.stock.ground, "primer": state.stock.primer}
    return {
        "name": document.name,
        "customer": "Walk-in",
        "date": f"{state.run.created_at:%Y-%m-%d}",
        "stock": {**stock, "sheet_mm": document.sheet_mm},
        "designs": [{"width_mm": widths.get(one["id"]), **one} for one in designs],
        "layout": document.layout.model_dump(mode="json", by_alias=True),
        "gap_mm": document.gap_mm,
        "weed": document.weed.model_dump(mode="json"),
        "marks": {name: getattr(state.kit.recipe, name) for name in MARKS},
        "cutter": {"reach_across_mm": 1600, "reach_along_mm": 3000},
        "codes": [codes[number] for number in sorted(codes)],
        "files": document.files,
        "half_turn": document.half_turn,
        **more,
    }


def by_command(run: dict[str, Any], folder: Path) -> dict[str, Any]:
    return make_run(parse_file(RunFile, json.dumps(run).encode(), "RUN.json"), folder, folder / "out")


def assert_the_same(shop: Shop, plates: Sequence[Plate], said: dict[str, Any], folder: Path) -> None:
    assert len(said["frames"]) == len(plates)
    for plate, frame in zip(plates, said["frames"], strict=True):
        kept = plate_sets.plate_files(plate)
        of_station = {"pdf" if name == "colour" else f"{name}.pdf": sha for name, sha in kept.items()}
        of_station.pop("white again.pdf", None)  # the plate of white, once more
        of_station["lines.svg"] = plate.lines_sha
        assert sorted(frame["files"]) == sorted(of_station)
        same = {
            name: (folder / "out" / frame["files"][name]).read_bytes() == shop.blobs.read(sha)
            for name, sha in of_station.items()
        }
        assert same == dict.fromkeys(of_station, True)
        assert tuple(frame["order"]) == plate.summary.order


@pytest.mark.parametrize("together", [False, True], ids=["separate files", "one file"])
def test_the_same_run_made_both_ways(shop: Shop, tmp_path: Path, together: bool) -> None:
    """A picture with bleed from its ground and white, a drawing with its own lines and raised clear, weed lines, a half
    turn, two frames, a stock that wants primer."""
    shop.database.within(fill_shelf)
    shop.database.within(lambda session: setattr(session.get_one(Stock, 1), "primer", True))
    spark, label = art_file("spark")[1], label_pdf()
    asked: dict[str, Any] = {"ground": "auto", "distance": 14.0, "bleed_mm": 1.5, "white": "art", "white_choke_mm": 0.3}
    raised = {"clear": "line", "clear_choke_mm": 0.2, "clear_raised": True}
    one, two = taken(shop, "spark.png", spark, **asked), taken(shop, "label.pdf", label, **raised)
    weed = {"box": True, "margin_mm": 1.5, "lines": "across", "strip_mm": 80.0, "clear_mm": 1.0}
    files = "one" if together else "separate"
    run, plates = plated(shop, {one: 60, two: 40}, sheet_mm=300.0, weed=weed, half_turn=True, files=files)
    assert len(plates) >= 2
    (tmp_path / "spark.png").write_bytes(spark)
    (tmp_path / "label.pdf").write_bytes(label)
    designs = [{"id": str(one), "art": "spark.png", **asked}, {"id": str(two), "art": "label.pdf", **raised}]
    assert_the_same(shop, plates, by_command(run_file(shop, run, designs), tmp_path), tmp_path)


@pytest.fixture
def inks(shop: Shop) -> dict[str, int]:
    """Special inks on the Shelf by their names, and clear stock."""
    shop.database.within(fill_shelf)
    shop.database.within(lambda session: setattr(session.get_one(Stock, 1), "ground", "clear"))
    look = {"cyan": 10.0, "magenta": 30.0, "yellow": 80.0, "black": 5.0}
    rows = [SpecialInk(name="Brass", goes="behind", **look), SpecialInk(name="Satin 2", goes="before", **look)]

    def put(session: Any) -> dict[str, int]:
        session.add_all(rows)
        session.flush()
        return {row.name: row.id for row in rows}

    return shop.database.within(put)


INKS = [
    {"name": name, "cyan": 10, "magenta": 30, "yellow": 80, "black": 5, "goes": goes}
    for name, goes in (("Brass", "behind"), ("Satin 2", "before"))
]


def test_special_inks_by_area_and_by_what_the_art_marks(shop: Shop, tmp_path: Path, inks: dict[str, int]) -> None:
    """The blue box of the drawing is printed in brass and in nothing else, satin lies inside its line; of the picture
    everything like its most frequent colour is brass, and clear lies in a rectangle."""
    spark, label = art_file("spark")[1], label_pdf()
    one = taken(shop, "label.pdf", label, white="line", white_choke_mm=0.2)
    two = taken(shop, "spark.png", spark, clear="area", clear_area=(5.0, 6.0, 20.0, 11.0))
    satin = {"extent": "line", "choke_mm": 0.4}

    def settings(session: Any) -> None:
        changes = {
            "specials": [{"ink": inks["Satin 2"], **satin}],
            "marked": {"colour #0000ff": f"special {inks['Brass']}"},
        }
        editing.change(session, one, None, "inks", changes)
        editing.change(session, two, None, "inks", {"marked": {"colour #d27e5e": f"special {inks['Brass']}"}})

    shop.database.within(settings)
    run, plates = plated(shop, {one: 3, two: 3})
    (tmp_path / "spark.png").write_bytes(spark)
    (tmp_path / "label.pdf").write_bytes(label)
    drawing = {"white": "line", "white_choke_mm": 0.2, "specials": [{"ink": "Satin 2", **satin}]}
    designs = [
        {"id": str(one), "art": "label.pdf", **drawing, "marked": {"colour #0000ff": "Brass"}},
        {"id": str(two), "art": "spark.png", "clear": "area", "clear_area": [5, 6, 20, 11],
         "marked": {"colour #d27e5e": "Brass"}},
    ]  # fmt: skip
    said = by_command(run_file(shop, run, designs, inks=INKS), tmp_path)
    assert plates[0].summary.order == ("white", "Brass", "colour", "Satin 2", "clear")
    assert_the_same(shop, plates, said, tmp_path)


@pytest.mark.parametrize("same", [True, False], ids=["the same art", "another design"])
def test_decals_seen_from_both_sides_through_the_stock(
    shop: Shop, tmp_path: Path, inks: dict[str, int], same: bool
) -> None:
    """Art on the back of its stock is mirrored; what is seen from the other side is the same art, or another design,
    with bleed of its own and its colours corrected."""
    spark, label = art_file("spark")[1], label_pdf()
    one = taken(shop, "spark.png", spark, white="line", white_choke_mm=0.3)
    two = taken(shop, "label.pdf", label, bleed_mm=1.0, saturation=-40)
    revision = shop.database.within(lambda session: session.get_one(Design, one).revision)
    taking_in.arrange_art(shop, one, revision, taking_in.ArrangeStep(do="second surface"))
    sides = {"blocker": True, "blocker_choke_mm": 0.25}

    def settings(session: Any) -> None:
        session.get_one(Design, two).job_id = session.get_one(Design, one).job_id
        editing.change(session, one, None, "sides", {"both_sides": {**sides, "other": None if same else two}})

    shop.database.within(settings)
    do(shop, line_finding.find_lines, design_id=two)
    run, plates = plated(shop, {one: 4})
    (tmp_path / "spark.png").write_bytes(spark)
    (tmp_path / "label.pdf").write_bytes(label)
    decal = {"id": str(one), "art": "spark.png", "white": "line", "white_choke_mm": 0.3, "second_surface": True}
    back = {"id": str(two), "art": "label.pdf", "width_mm": 60, "bleed_mm": 1.0, "saturation": -40}
    designs = [{**decal, "both_sides": {**sides, "other": None if same else str(two)}}, *([] if same else [back])]
    said = by_command(run_file(shop, run, designs), tmp_path)
    assert plates[0].summary.order == ("colour", "white", "blocker", "white again", "other side")
    assert_the_same(shop, plates, said, tmp_path)


@pytest.mark.parametrize(
    ("change", "what"),
    [
        ({"specials": [{"ink": "Brass", "extent": "line"}]}, "names an ink that the run does not have: Brass"),
        ({"marked": {"colour #0000ff": "brass"}}, "names an ink that the run does not have: brass"),
        ({"marked": {"shade #0000ff": "white"}}, "a layer, a colour (#rrggbb) or a spot"),
        ({"marked": {"colour blue": "white"}}, "a layer, a colour (#rrggbb) or a spot"),
        ({"both_sides": {"other": "back"}}, "shows back on its other side, a design that the run does not have"),
    ],
)
def test_a_run_that_names_what_it_does_not_have_is_refused(change: dict[str, Any], what: str) -> None:
    run = {"stock": {"width_mm": 300}, "designs": [{"id": "front", "art": "front.png", **change}], "layout": "L.json"}
    with pytest.raises(JobError, match=re.escape(what)):
        parse_file(RunFile, json.dumps(run).encode(), "RUN.json")


def test_an_ink_cannot_be_called_like_a_plate_that_is_there_already() -> None:
    run = {"stock": {"width_mm": 300}, "designs": [{"id": "one", "art": "one.png"}], "layout": "L.json"}
    with pytest.raises(JobError, match="the name of a plate that is there already"):
        parse_file(RunFile, json.dumps({**run, "inks": [{**INKS[0], "name": "White"}]}).encode(), "RUN.json")


def test_pieces_that_need_other_layers_do_not_share_a_frame(shop: Shop, tmp_path: Path, inks: dict[str, int]) -> None:
    spark = art_file("spark")[1]
    one, two = taken(shop, "spark.png", spark, white="line"), taken(shop, "again.png", spark, white="line")
    run, _ = plated(shop, {one: 1, two: 1})
    (tmp_path / "spark.png").write_bytes(spark)
    plain = {"art": "spark.png", "white": "line"}
    for change, why in (({"both_sides": {}}, "seen from both sides"), ({"second_surface": True}, "second surface")):
        designs = [{**plain, "id": str(one), **change}, {**plain, "id": str(two)}]
        with pytest.raises(JobError, match=why):
            by_command(run_file(shop, run, designs), tmp_path)
