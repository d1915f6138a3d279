"""Print and the command `etiquette plates` make the same run into the same files, byte for byte."""

import json
from pathlib import Path
from typing import Any

import pytest

from etiquette.cli.run_plates import make_run
from etiquette.demo.art import art_file
from etiquette.files.contracts import parse_file
from etiquette.files.run_file import RunFile
from etiquette.stations import line_finding, plate_sets, run_edits, runs
from etiquette.stations.lines import taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Frame, Stock
from tests.stations.shop_floor import do, fill_shelf
from tests.vector_art import label_pdf


@pytest.mark.parametrize("together", [False, True], ids=["separate files", "one file"])
def test_the_same_run_made_both_ways(shop: Shop, tmp_path: Path, together: bool) -> None:
    """A picture with bleed from its ground and white, a drawing with its own lines and raised clear, weed lines, a half
    turn, two frames, a stock that wants primer."""
    shop.database.within(fill_shelf)
    shop.database.within(lambda session: setattr(session.get_one(Stock, 1), "primer", True))
    spark, label = art_file("spark")[1], label_pdf()
    asked: dict[str, Any] = {"ground": "auto", "distance": 14.0, "bleed_mm": 1.5, "white": "art", "white_choke_mm": 0.3}
    (one,) = taking_in.take_in(shop, spark, "spark.png", None, asked)
    raised = {"clear": "line", "clear_choke_mm": 0.2, "clear_raised": True}
    (two,) = taking_in.take_in(shop, label, "label.pdf", None, raised)
    for design in (one, two):
        do(shop, line_finding.find_lines, design_id=design)
    items = [{"design_id": one, "count": 60}, {"design_id": two, "count": 40}]
    run = shop.database.within(lambda session: run_edits.create(session, "Both ways", items))
    weed = {"box": True, "margin_mm": 1.5, "lines": "across", "strip_mm": 80.0, "clear_mm": 1.0}
    changes = {"sheet_mm": 300.0, "weed": weed, "half_turn": True, "files": "one" if together else "separate"}
    shop.database.within(lambda session: run_edits.change(session, run, None, "settings", changes))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    made = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    plates = [shop.database.within(lambda session, i=i: plate_sets.plate_there(session, i)) for i in made]
    assert len(plates) >= 2

    state = shop.database.within(lambda session: runs.state_of(shop, session, run))
    document, recipe = state.document, state.kit.recipe
    assert document.layout is not None
    codes = shop.database.within(
        lambda session: {row.number: row.code for row in session.query(Frame).filter(Frame.run_id == run)}
    )
    (tmp_path / "spark.png").write_bytes(spark)
    (tmp_path / "label.pdf").write_bytes(label)
    widths = {key: design.document.width_mm for key, design in state.designs.items()}
    marks = (
        "shape",
        "ink",
        "size_mm",
        "stroke_mm",
        "clear_mm",
        "count",
        "spacing_mm",
        "place",
        "inset_mm",
        "head_margin_mm",
        "tail_margin_mm",
        "code",
    )
    run_file = {
        "name": document.name,
        "customer": "Walk-in",
        "date": f"{state.run.created_at:%Y-%m-%d}",
        "stock": {"width_mm": state.stock.width_mm, "ground": state.stock.ground, "primer": True, "sheet_mm": 300.0},
        "designs": [
            {"id": str(one), "art": "spark.png", "width_mm": widths[one], **asked},
            {"id": str(two), "art": "label.pdf", "width_mm": widths[two], **raised},
        ],
        "layout": document.layout.model_dump(mode="json", by_alias=True),
        "gap_mm": document.gap_mm,
        "weed": weed,
        "marks": {name: getattr(recipe, name) for name in marks},
        "cutter": {"reach_across_mm": 1600, "reach_along_mm": 3000},
        "codes": [codes[number] for number in sorted(codes)],
        "files": document.files,
        "half_turn": True,
    }
    said = make_run(parse_file(RunFile, json.dumps(run_file).encode(), "RUN.json"), tmp_path, tmp_path / "out")
    assert len(said["frames"]) == len(plates)
    for plate, frame in zip(plates, said["frames"], strict=True):
        by_station = {
            "pdf": plate.pdf_sha,
            "primer.pdf": plate.primer_sha,
            "white.pdf": plate.white_sha,
            "height.pdf": plate.height_sha,
            "lines.svg": plate.lines_sha,
        }
        held = {name: shop.blobs.read(sha) for name, sha in by_station.items() if sha}
        assert sorted(frame["files"]) == sorted(held)
        by_command = {name: (tmp_path / "out" / file).read_bytes() for name, file in frame["files"].items()}
        assert {name: by_command[name] == content for name, content in held.items()} == dict.fromkeys(held, True)
