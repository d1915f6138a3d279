"""The file contracts at their edges: what is read back, what is refused and with which words."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from etiquette.core.artwork.kinds import KINDS
from etiquette.core.errors import JobError
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path
from etiquette.core.marking.slugs import slug_outlines, slug_width_mm
from etiquette.core.planning.nesting import nest
from etiquette.files.contracts import FitFile, LayoutFile, MarksFile, ProblemFile, parse_file
from etiquette.files.layout_svg import layout_picture
from etiquette.files.lines_svg import LinesFile, read_lines, write_lines
from etiquette.files.tool_cards import read_tools

POINT = st.tuples(st.floats(-500, 500), st.floats(-500, 500))
SEGMENT = st.one_of(st.lists(POINT, min_size=1, max_size=1), st.lists(POINT, min_size=3, max_size=3))


@given(
    st.lists(
        st.tuples(st.sampled_from(KINDS), POINT, st.lists(SEGMENT, min_size=1, max_size=6)), min_size=1, max_size=5
    ),
    POINT,
)
def test_any_open_lines_come_back_from_their_file(lines: list, origin: tuple[float, float]) -> None:  # type: ignore[type-arg]
    given_lines = [
        FinishLine(kind, Path(np.array(start), tuple(np.array(segment) for segment in segments), False))
        for kind, start, segments in lines
    ]
    back = read_lines(
        write_lines(LinesFile(given_lines, 100, 80, (round(origin[0], 3), round(origin[1], 3)))).encode(), "lines"
    )
    assert [line.kind for line in back.lines] == [line.kind for line in given_lines]
    for one, other in zip(given_lines, back.lines, strict=True):
        assert [len(segment) for segment in one.path.segments] == [len(segment) for segment in other.path.segments]
        assert (
            np.abs(
                np.vstack([one.path.start[None], *one.path.segments])
                - np.vstack([other.path.start[None], *other.path.segments])
            ).max()
            < 2e-4
        )


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "not readable"),
        ("<html/>", "not an SVG"),
        ('<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"/>', "no lines"),
        ('<svg xmlns="http://www.w3.org/2000/svg"><path d="M0,0L1,1"/></svg>', "how large"),
        (
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0,0 a1,1 0 0 0 3,3"/></svg>',
            "cannot be read at “a1,1",
        ),
        (
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path data-kind="saw" d="M0,0L1,1"/></svg>',
            "not a kind",
        ),
        (
            '<!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]><svg xmlns="http://www.w3.org/2000/svg" '
            'viewBox="0 0 9 9"><path d="&x;"/></svg>',
            "not readable",
        ),
    ],
)
def test_lines_files_that_are_wrong_say_so(text: str, words: str) -> None:
    with pytest.raises(JobError, match=words):
        read_lines(text.encode(), "lines.svg")


def problem(**more: object) -> bytes:
    piece = {"id": "a", "count": 2, "outline": [[0, 0], [40, 0], [40, 25]]}
    return json.dumps({"stock": {"width_mm": 100}, "steps": 1, "pieces": [piece], **more}).encode()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (b"{", "Invalid JSON"),
        (problem(stock={"width_mm": -4}), r"stock\.width_mm"),
        (problem(pieces=[{"id": "a", "count": 1, "outline": [[0, 0], [1, 1]]}]), "fewer than three"),
        (problem(pieces=[{"id": "a", "count": 1, "outline": [[0, 0], [1, 1], [2, 2]]}]), "no area|crosses"),
        (problem(pieces=json.loads(problem())["pieces"] * 2), "Two pieces are called a"),
        (problem(pinned=[{"id": "zz", "x_mm": 1, "y_mm": 1}]), "zz is not among"),
        (problem(speed=3), "speed"),
    ],
)
def test_problem_files_that_are_wrong_name_the_place(text: bytes, words: str) -> None:
    with pytest.raises(JobError, match=words):
        parse_file(ProblemFile, text, "PROBLEM.json").to_problem()


def test_a_layout_file_keeps_its_own_names_and_draws_every_piece() -> None:
    asked = parse_file(ProblemFile, problem(), "p").to_problem()
    layout = nest(asked)
    text = LayoutFile.of(layout).model_dump_json(by_alias=True)
    assert {"copy", "sheet", "x_mm", "y_mm", "rotation_deg", "id"} == set(json.loads(text)["placements"][0])
    assert LayoutFile.model_validate_json(text).to_placements() == list(layout.placements)
    assert layout_picture(asked, layout).count("<path") == 2


def test_winding_does_not_matter_and_repeats_are_harmless() -> None:
    one = parse_file(ProblemFile, problem(), "p").to_problem()
    other = parse_file(
        ProblemFile, problem(pieces=[{"id": "a", "count": 2, "outline": [[40, 25], [40, 0], [0, 0], [40, 25]]}]), "p"
    ).to_problem()
    assert one.pieces[0].outline.area == other.pieces[0].outline.area == 500
    assert nest(one).length_mm == pytest.approx(nest(other).length_mm, abs=0.51)


def test_a_fit_file_carries_its_transform() -> None:
    from etiquette.core.aligning.fitting import fit_marks

    marks = MarksFile.model_validate(
        {
            "marks": [
                {"id": f"m{n}", "nominal": [x, y], "measured": [x + 5, y * 1.001 - 2]}
                for n, (x, y) in enumerate([(0, 0), (500, 0), (0, 300), (500, 300)])
            ]
        }
    )
    fit = fit_marks(marks.to_marks(), 0.3, "affine")
    back = parse_file(FitFile, FitFile.of(fit).model_dump_json().encode(), "fit").transform.to_transform()
    probe = np.array([[250, 150], [10, 290.0]])
    assert np.abs(back(probe) - (probe * (1, 1.001) + (5, -2))).max() < 1e-9


def test_tool_cards_are_read_and_checked() -> None:
    assert read_tools(b'{"kiss": {"force_gf": 82}}', "t")["kiss"].force_gf == 82
    for bad in (b'{"saw": {}}', b'{"kiss": {"force_gf": -1}}', b'{"kiss": {"weight": 1}}'):
        with pytest.raises(JobError):
            read_tools(bad, "t")


def test_the_slug_is_as_wide_and_as_high_as_it_says() -> None:
    """B612 Mono is a fixed-pitch font: every character is as wide as every other."""
    assert slug_width_mm("AB") == pytest.approx(2 * slug_width_mm("A"))
    outlines = slug_outlines("H", 10, 20, height_mm=3)
    points = np.vstack([path.flatten() for path in outlines])
    assert points[:, 1].min() == pytest.approx(20, abs=0.02) and points[:, 1].max() == pytest.approx(23, abs=0.05)
    assert points[:, 0].min() >= 10 and points[:, 0].max() <= 10 + slug_width_mm("H")
    assert slug_outlines("Ж", 0, 0)  # a letter the font has not is a question mark, not a gap
