"""The commands on files, as a user types them: results, errors as one JSON object, exit codes."""

import json
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from io import BytesIO, StringIO
from pathlib import Path
from typing import Any
from unittest.mock import patch

import pytest
from PIL import Image

from etiquette.cli import main
from etiquette.demo.art import art_file


def run(*arguments: object) -> tuple[int, dict[str, Any]]:
    """The command in this process: its exit code, and the object on stdout."""
    out, words = StringIO(), ["etiquette", *map(str, arguments)]
    with patch.object(sys, "argv", words), redirect_stdout(out), redirect_stderr(StringIO()):
        try:
            main()
            code = 0
        except SystemExit as end:
            code = int(end.code or 0)
    return code, json.loads(out.getvalue()) if out.getvalue() else {}


def typed(*arguments: object) -> tuple[int, dict[str, Any]]:
    """The same as a program of its own, as a user starts it."""
    done = subprocess.run(
        [sys.executable, "-m", "etiquette.cli", *map(str, arguments)], capture_output=True, text=True, check=False
    )
    return done.returncode, json.loads(done.stdout) if done.stdout else {}


@pytest.fixture
def radish(tmp_path: Path) -> Path:
    file = tmp_path / "radish.png"
    file.write_bytes(art_file("radish")[1])
    return file


def test_contour_then_cut(radish: Path, tmp_path: Path) -> None:
    code, said = typed("contour", radish, "-o", tmp_path / "lines.svg", "--width-mm", "80")
    assert code == 0 and said["width_mm"] == 80 and said["height_mm"] == pytest.approx(144, abs=0.3)
    for suffix in ("plt", "dxf", "svg", "pdf"):
        code, said = run("cut", tmp_path / "lines.svg", "--device", "knife", "-o", tmp_path / f"cut.{suffix}")
        assert code == 0 and said["strokes"] == 1 and (tmp_path / f"cut.{suffix}").stat().st_size > 300


def test_nest_align_and_a_cut_with_a_fit(radish: Path, tmp_path: Path) -> None:
    problem = {
        "stock": {"width_mm": 200, "length_mm": None},
        "edge_mm": 5,
        "gap_mm": 2,
        "rotations": [0, 90],
        "seconds": 60,
        "steps": 2,
        "seed": 1,
        "pieces": [{"id": "a", "count": 6, "outline": [[0, 0], [40, 0], [40, 25]], "holes": [], "rotations": [0, 180]}],
    }
    (tmp_path / "problem.json").write_text(json.dumps(problem))
    code, said = run(
        "nest", tmp_path / "problem.json", "-o", tmp_path / "layout.json", "--svg", tmp_path / "layout.svg"
    )
    layout = json.loads((tmp_path / "layout.json").read_text())
    assert (
        code == 0
        and said["stopped"] == "steps"
        and len(layout["placements"]) == 6
        and {"copy", "sheet"} <= set(layout["placements"][0])
    )
    marks = {
        "marks": [
            {"id": f"m{n}", "nominal": [x, y], "measured": [400 - x, 300 - y]}
            for n, (x, y) in enumerate([(0, 0), (300, 0), (0, 200), (300, 200)])
        ],
        "probe": [[100, 50]],
        "tolerance_mm": 3,
    }
    (tmp_path / "marks.json").write_text(json.dumps(marks))
    code, said = typed("align", tmp_path / "marks.json", "-o", tmp_path / "fit.json")
    fit = json.loads((tmp_path / "fit.json").read_text())
    assert code == 0 and fit["load"] == "tail" and fit["mapped"][0] == pytest.approx([300, 250], abs=1e-3)
    run("contour", radish, "-o", tmp_path / "lines.svg")
    assert (
        run(
            "cut",
            tmp_path / "lines.svg",
            "--device",
            "knife",
            "--fit",
            tmp_path / "fit.json",
            "-o",
            tmp_path / "cut.plt",
        )[0]
        == 0
    )


def bad_art(tmp_path: Path, content: bytes) -> Path:
    (tmp_path / "bad.png").write_bytes(content)
    return tmp_path / "bad.png"


def test_errors_of_contour(tmp_path: Path, radish: Path) -> None:
    out = tmp_path / "x.svg"
    no_size = BytesIO()
    Image.new("RGBA", (30, 30), (1, 2, 3, 4)).save(no_size, "PNG")
    for content, words in (
        (b"", "empty"),
        (b"text", "not a picture"),
        (radish.read_bytes()[:900], "damaged"),
        (no_size.getvalue(), "how large"),
    ):
        code, said = run("contour", bad_art(tmp_path, content), "-o", out)
        assert code == 1 and words in said["error"]["what"] and said["error"]["do"] and "where" in said["error"]
    assert typed("contour", tmp_path / "missing.png", "-o", out)[0] == 1
    assert typed("contour", radish, "-o", out, "--holes", "some")[0] == 2
    assert not out.exists()


def test_errors_of_nest_and_align(tmp_path: Path) -> None:
    crossing = {
        "stock": {"width_mm": 200},
        "pieces": [{"id": "bow", "count": 1, "outline": [[0, 0], [10, 10], [10, 0], [0, 10]]}],
    }
    wide = {
        "stock": {"width_mm": 100},
        "pieces": [{"id": "wide", "count": 1, "outline": [[0, 0], [150, 0], [150, 150], [0, 150]]}],
    }
    for problem, words in (
        (crossing, "crosses itself near 5 5"),
        ({"stock": {}}, "not as it should be at stock.width_mm"),
    ):
        (tmp_path / "p.json").write_text(json.dumps(problem))
        code, said = run("nest", tmp_path / "p.json", "-o", tmp_path / "l.json")
        assert code == 1 and words in said["error"]["what"], said
    (tmp_path / "p.json").write_text(json.dumps(wide))
    code, said = run("nest", tmp_path / "p.json", "-o", tmp_path / "l.json")
    assert code == 0 and said["placed"] == 0 and said["unplaced"] == 1
    assert said["reasons"] == ["wide: It is 150.0 mm wide at its narrowest; the stock has 100.0 mm between its edges."]
    (tmp_path / "m.json").write_text(
        json.dumps({"marks": [{"id": "m1", "nominal": [0, 0], "measured": [1, 1]}, {"id": "m2", "nominal": [9, 0]}]})
    )
    code, said = run("align", tmp_path / "m.json", "-o", tmp_path / "f.json")
    assert code == 1 and "1 of 2 marks" in said["error"]["what"]


def test_a_host_that_others_can_reach_is_refused() -> None:
    assert (
        subprocess.run(
            [sys.executable, "-m", "etiquette.cli", "serve", "--host", "0.0.0.0"], capture_output=True, check=False
        ).returncode
        == 2
    )


@pytest.mark.parametrize("name", ["PROBLEM", "LAYOUT", "MARKS", "FIT", "TOOLS"])
def test_the_schemas_in_docs_are_those_of_the_models(name: str) -> None:
    from etiquette.files.schemas import schema_text

    kept = Path(__file__).parents[2] / "docs" / "schemas" / f"{name}.schema.json"
    assert kept.read_text() == schema_text(name)


def test_lines_that_are_in_vector_art(tmp_path: Path) -> None:
    from tests.vector_art import SLEEVE_SVG, box_dxf, label_pdf, steps_pdf

    for name, content, caught, size in (
        ("label.pdf", label_pdf(), {"kiss": 1, "through": 1}, (60, 40)),
        ("steps.pdf", steps_pdf(), {"through": 1, "crease": 2, "kiss": 1}, (80, 50)),
        ("sleeve.svg", SLEEVE_SVG, {"kiss": 1, "crease": 1}, (60, 40)),
        ("box.dxf", box_dxf(), {"through": 2, "crease": 1}, (50, 30)),
    ):
        (tmp_path / name).write_bytes(content)
        code, said = run("lines", tmp_path / name, "-o", tmp_path / "lines.svg")
        assert code == 0 and said["caught"] == caught, name
        assert (said["width_mm"], said["height_mm"]) == pytest.approx(size, abs=0.01)
        code, said = run("cut", tmp_path / "lines.svg", "--device", "knife", "-o", tmp_path / "cut.plt")
        assert code == 0 and said["strokes"] == sum(caught.values())


def test_line_rules_from_a_file_decide(tmp_path: Path) -> None:
    from tests.vector_art import SLEEVE_SVG

    (tmp_path / "a.svg").write_bytes(SLEEVE_SVG)
    rules = {
        "rules": [
            {"kind": "pen", "by": "colour", "values": ["#0000ff"]},
            {"kind": "through", "by": "width", "values": ["0.2"]},
        ]
    }
    (tmp_path / "rules.json").write_text(json.dumps(rules))
    code, said = run("lines", tmp_path / "a.svg", "--rules", tmp_path / "rules.json", "-o", tmp_path / "l.svg")
    assert code == 0 and said["caught"] == {"pen": 1, "through": 2}
    for broken in (
        {"rules": [{"kind": "laser", "by": "words", "values": ["x"]}]},
        {"rules": [{"kind": "kiss", "by": "colour", "values": ["magenta"]}]},
        {"rules": [{"kind": "kiss", "by": "words", "values": []}]},
        [],
    ):
        (tmp_path / "rules.json").write_text(json.dumps(broken))
        code, said = run("lines", tmp_path / "a.svg", "--rules", tmp_path / "rules.json", "-o", tmp_path / "l.svg")
        assert code == 1 and said["error"]["what"] and said["error"]["do"]


def test_art_without_lines_says_so(radish: Path, tmp_path: Path) -> None:
    code, said = run("lines", radish, "-o", tmp_path / "l.svg")
    assert code == 1 and "no lines of its own" in said["error"]["what"]
    (tmp_path / "plain.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm"><rect width="5" height="5"/></svg>'
    )
    code, said = run("lines", tmp_path / "plain.svg", "-o", tmp_path / "l.svg")
    assert code == 1 and "catch nothing" in said["error"]["what"]
