"""Vector art through the stations: taken in, sorted, separated, replaced, printed as vectors."""

from io import BytesIO

import numpy as np
import pikepdf
import pypdfium2
import pytest
import shapely
from PIL import Image
from sqlalchemy.orm import Session

from etiquette.core.artwork.kinds import Kind
from etiquette.core.errors import JobError, NotThere
from etiquette.demo.art import art_file
from etiquette.files.line_rules import RuleFile, RulesFile
from etiquette.sandbox.art import read_art, separate
from etiquette.stations import designs, edits, line_finding, line_rules, whole
from etiquette.stations.designs import DesignState
from etiquette.stations.edits import Stale
from etiquette.stations.lines import editing, path_picking, taking_in, trying
from etiquette.stations.shop import Shop
from tests.stations.shop_floor import do
from tests.vector_art import MM, RINGS_SVG, SLEEVE_SVG, box_dxf, label_pdf, steps_pdf, text_pdf


def taken(shop: Shop, content: bytes, name: str, **document: object) -> int:
    (design,) = taking_in.take_in(shop, content, name, None, document)
    return design


def state(shop: Shop, design: int) -> DesignState:
    return shop.database.within(lambda session: designs.state_of(session, design))


def found(shop: Shop, design: int) -> tuple[list, dict]:  # type: ignore[type-arg]
    do(shop, line_finding.find_lines, design_id=design)
    now = state(shop, design)
    file = designs.lines_of(shop, now)
    assert file is not None and now.lines is not None
    return file.lines, now.lines.summary


def images_in(content: bytes) -> list[bytes]:
    with pikepdf.open(BytesIO(content)) as pdf:
        return [
            one.read_raw_bytes()
            for one in pdf.objects
            if isinstance(one, pikepdf.Stream) and one.get("/Subtype") == "/Image"
        ]


def test_lines_in_the_file_are_used_and_never_printed(shop: Shop) -> None:
    design = taken(shop, label_pdf(), "label.pdf")
    assert state(shop, design).document.follow == "none" and state(shop, design).document.width_mm == pytest.approx(60)
    made, summary = found(shop, design)
    assert sorted(line.kind for line in made) == ["kiss", "through"]
    assert summary.caught.caught == {"kiss": 1, "through": 1} and summary.caught.hidden == ["Old prices"]
    kiss = next(line for line in made if line.kind == "kiss")
    assert shapely.Polygon(kiss.path.flatten(0.001)).area == pytest.approx(np.pi * 17**2, rel=1e-3)
    print_sha = state(shop, design).lines.print_sha  # type: ignore[union-attr]
    page = shop.blobs.read(print_sha)
    # the printed page holds the picture of the customer's file, untouched, and no other
    assert images_in(page) == images_in(label_pdf())
    scale = 10  # pixels a millimetre
    pixels = pypdfium2.PdfDocument(page)[0].render(scale=scale / MM).to_numpy()[..., :3].astype(int)

    def at(x: float, y: float) -> list[int]:
        return pixels[round((40 - y) * scale), round(x * scale)].tolist()[::-1]

    assert at(35, 24) == [255, 0, 0] and at(30, 20) == [0, 0, 255]  # the art
    assert at(30, 37) == [255, 255, 255] and at(2, 20) == [255, 255, 255]  # where the kiss and the through line lay
    assert at(3, 3) == [255, 255, 255]  # the layer that was switched off


def test_a_line_round_vector_art_comes_with_the_lines_of_the_file(shop: Shop) -> None:
    design = taken(shop, steps_pdf(), "sleeve.pdf", follow="edge", offset_mm=1.0, width_mm=160.0)
    made, _ = found(shop, design)
    assert sorted(line.kind for line in made) == ["crease", "crease", "kiss", "kiss", "through"]
    outline = max(
        (shapely.Polygon(line.path.flatten(0.01)) for line in made if line.kind == "kiss"), key=lambda p: p.area
    )
    # the panel 70 × 40 mm at twice its size, one millimetre outside (Steiner)
    assert outline.area == pytest.approx(140 * 80 + 440 + np.pi, rel=1e-3)
    crease = next(line for line in made if line.kind == "crease")
    assert crease.path.flatten() == pytest.approx(np.array([[60, 8], [60, 92]]), abs=1e-3)


def test_text_becomes_outlines_without_being_traced(shop: Shop) -> None:
    made, summary = found(
        shop, taken(shop, text_pdf(), "hello.pdf", offset_mm=0, holes="keep", min_area_mm2=0.05, tolerance_mm=0.02)
    )
    outlines = [shapely.Polygon(line.path.flatten(0.005)) for line in made]
    # H, e with its counter, two l, o with its counter
    assert (
        len(outlines) == 7
        and sum(inner.within(outer) for inner in outlines for outer in outlines if inner is not outer) == 2
    )
    tall = max(outlines, key=lambda one: one.bounds[3] - one.bounds[1])
    # the ascenders of Helvetica reach about 0.72 em: 24 pt are 8.47 mm
    assert tall.bounds[1] == pytest.approx(5, abs=0.1) and tall.bounds[3] - 5 == pytest.approx(0.72 * 24 / MM, abs=0.25)


def test_an_svg_keeps_clips_symbols_and_text_and_loses_its_lines(shop: Shop) -> None:
    design = taken(shop, SLEEVE_SVG, "sleeve.svg")
    _, summary = found(shop, design)
    assert summary.caught.caught == {"kiss": 1, "crease": 1} and summary.caught.suspects == 1
    page = shop.blobs.read(state(shop, design).lines.print_sha)  # type: ignore[union-attr]
    assert images_in(page) == []
    pixels = pypdfium2.PdfDocument(page)[0].render(scale=10 / MM).to_numpy()[..., :3].astype(int)

    def at(x: float, y: float) -> tuple[int, ...]:
        return tuple(pixels[round(y * 10), round(x * 10)].tolist()[::-1])

    assert at(15, 15) == (204, 34, 51) and at(29, 20) == (34, 170, 102)
    assert at(10, 6) == (17, 34, 102) and at(40, 6) == (255, 255, 255)  # the clip path cuts the bar in half
    assert at(9, 20) == (255, 255, 255)  # no kiss line
    assert at(0.5, 20)[1] < 120  # the frame without a name is printed, and told


def test_a_drawing_without_units_asks_for_its_size(shop: Shop) -> None:
    design = taken(shop, box_dxf(units=0), "box.dxf")
    assert state(shop, design).document.width_mm is None and state(shop, design).lines_key is None
    shop.database.within(lambda session: editing.change(session, design, 1, "width", {"width_mm": 100.0}))
    made, _ = found(shop, design)
    assert max(line.path.flatten()[:, 0].max() for line in made) == pytest.approx(100, abs=0.01)


def test_each_page_becomes_a_design(shop: Shop) -> None:
    with pikepdf.open(BytesIO(label_pdf())) as pdf, pikepdf.open(BytesIO(steps_pdf())) as other:
        pdf.pages.extend(other.pages)
        out = BytesIO()
        pdf.save(out)
    ids = taking_in.take_in(shop, out.getvalue(), "both.pdf", None)
    names = [state(shop, one).document.name for one in ids]
    assert names == ["Both, page 1", "Both, page 2"]
    assert [state(shop, one).document.width_mm for one in ids] == pytest.approx([60, 80])
    # the second page keeps the names and steps of its layers
    _, report = trying.try_rules(shop, ids[1], ())
    assert report == ["A1", "B2", "C3"]


def test_rules_are_changed_tried_and_not_lost_to_another_screen(shop: Shop) -> None:
    design = taken(shop, SLEEVE_SVG, "sleeve.svg")
    found(shop, design)
    before = state(shop, design).lines_key
    frames = RulesFile(rules=[RuleFile(kind="through", by="colour", values=["#ff00ff"])])
    report, names = trying.try_rules(shop, design, frames.to_rules())
    assert report.caught == {"through": 2} and {"Kiss_cut", "Falz", "Art"} <= set(names)
    assert state(shop, design).lines_key == before  # a trial changes nothing
    shop.database.within(lambda session: line_rules.keep_rules(session, 0, frames))
    assert shop.database.within(line_rules.rules_of) == frames.to_rules()
    assert state(shop, design).lines_key != before
    made, _ = found(shop, design)
    assert [line.kind for line in made] == ["through", "through"]
    with pytest.raises(Stale):
        shop.database.within(lambda session: line_rules.keep_rules(session, 0, frames))
    with pytest.raises(JobError, match="no paths that rules"):
        trying.try_rules(shop, taken(shop, art_file("spark")[1], "spark.png"), ())


def test_newer_art_keeps_the_settings_and_can_be_undone(shop: Shop) -> None:
    design = taken(shop, label_pdf(), "label.pdf", offset_mm=3.5, due_count=77)
    first = state(shop, design).art
    taking_in.replace_art(shop, design, steps_pdf(), "label v2.pdf")
    newer = state(shop, design)
    assert newer.art.file_name == "label v2.pdf" and newer.document.offset_mm == 3.5 and newer.document.due_count == 77
    assert newer.undo == "newer art: label v2.pdf"
    shop.database.within(lambda session: edits.step(session, "design", design, newer.design.revision, "undo"))
    assert state(shop, design).art.id == first.id
    with pytest.raises(JobError, match="not a picture"):
        taking_in.replace_art(shop, design, b"nonsense", "x.png")
    assert state(shop, design).art.id == first.id


def test_any_version_can_be_returned_to(shop: Shop) -> None:
    design = taken(shop, art_file("spark")[1], "spark.png")

    def change(words: str, **changes: object) -> None:
        shop.database.within(lambda session: editing.change(session, design, None, words, changes))

    change("offset", offset_mm=3.0)
    change("corners", corner_mm=1.0)
    change("offset", offset_mm=4.0)

    def versions(session: Session) -> list[editing.Version]:
        return editing.versions_of(session, design)

    listed = shop.database.within(versions)
    assert [one.words for one in listed] == ["offset", "corners", "offset", "as taken in"]
    revision = state(shop, design).design.revision
    shop.database.within(lambda session: editing.return_to(session, design, revision, listed[1].id))
    now = state(shop, design)
    assert (now.document.offset_mm, now.document.corner_mm) == (3.0, 1.0) and now.undo == "back to: corners"
    shop.database.within(lambda session: editing.return_to(session, design, now.design.revision, 0))
    assert (state(shop, design).document.offset_mm, state(shop, design).document.corner_mm) == (2.0, 0.0)
    with pytest.raises(NotThere):
        shop.database.within(lambda session: editing.return_to(session, design, revision + 2, 999_999))
    with pytest.raises(Stale):
        shop.database.within(lambda session: editing.return_to(session, design, 1, listed[0].id))


def test_further_lines_lie_round_the_first(shop: Shop) -> None:
    more = [
        {"kind": "through", "course": "hull", "offset_mm": 3.0},
        {"kind": "score", "course": "across", "place_mm": 12.0, "offset_mm": 1.0},
    ]
    design = taken(shop, art_file("spark")[1], "spark.png", more=more)
    made, summary = found(shop, design)
    assert [line.kind for line in made] == ["kiss", "through", "score"] and summary.report.lines == 3
    kiss, through = (shapely.Polygon(line.path.flatten(0.01)) for line in made[:2])
    assert through.buffer(0.06).contains(kiss.convex_hull.buffer(2.9)) and kiss.convex_hull.buffer(3.1).contains(
        through
    )
    preview = trying.preview_lines(shop, design, {"offset_mm": 4.0})
    assert [line.kind for line in preview.lines] == ["kiss", "through", "score"]


def test_a_filled_shape_caught_by_its_stroke_keeps_its_fill() -> None:
    svg = (
        b'<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="20mm" viewBox="0 0 20 20"><rect x="5" y="5" '
        b'width="10" height="10" fill="#00c000" stroke="#ff00ff" stroke-width="1"/></svg>'
    )
    left = separate(svg, "a.svg", {0: "stroke"})
    pixels = pypdfium2.PdfDocument(left.pdf)[0].render(scale=10 / MM).to_numpy()[..., :3].astype(int)
    assert pixels[100, 100].tolist() == [0, 192, 0] and pixels[100, 47].tolist() == [255, 255, 255]
    gone = separate(svg, "a.svg", {0: "all"})
    assert gone.areas == b"[]"


def test_a_page_that_nothing_leaves_is_not_drawn_twice() -> None:
    svg = (
        b'<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="20mm" viewBox="0 0 20 20">'
        b'<circle cx="9" cy="9" r="7" fill="#00c000" stroke="#ff00ff"/></svg>'
    )
    (page,) = read_art(svg, "a.svg")

    def pixels(png: bytes) -> np.ndarray:
        return np.asarray(Image.open(BytesIO(png)))

    drawn = separate(svg, "a.svg", {}).picture
    assert (pixels(drawn) == pixels(page.picture)).all()  # what is spared would have been the same
    assert separate(svg, "a.svg", {}, drawn=page.picture).picture == page.picture
    changed = separate(svg, "a.svg", {0: "stroke"}, drawn=page.picture).picture
    assert not (pixels(changed) == pixels(page.picture)).all()


def test_bleed_under_a_page_is_printed_past_the_line_and_the_page_stays_vector(shop: Shop) -> None:
    design = taken(shop, label_pdf(), "label.pdf", follow="edge", offset_mm=-2.0, bleed_mm=1.0)
    _, summary = found(shop, design)
    now = state(shop, design)
    assert now.lines is not None and now.lines.under_sha is not None
    # the line runs round the disc and the picture, two millimetres inside them: art goes on past it everywhere
    assert summary.bleed.short_mm < 3 and {run.state for run in summary.bleed.stretches} >= {"full"}
    assert images_in(shop.blobs.read(now.lines.print_sha or "")) == images_in(label_pdf())


def test_bleed_of_a_picture_reaches_the_plate(shop: Shop) -> None:
    design = taken(shop, art_file("spark")[1], "spark.png", offset_mm=0.0, bleed_mm=1.5)
    _, summary = found(shop, design)
    assert summary.bleed.short_mm == 0
    box = summary.bleed.box
    assert box[0] <= 0 and box[2] > (state(shop, design).document.width_mm or 0)
    plain = taken(shop, art_file("spark")[1], "spark.png", offset_mm=0.0)
    _, without_bleed = found(shop, plain)
    assert without_bleed.bleed.short_mm > 50


def test_single_lines_change_kind_or_go_and_come_back(shop: Shop) -> None:
    design = taken(shop, steps_pdf(), "sleeve.pdf")
    before, _ = found(shop, design)
    assert [line.kind for line in before] == ["through", "kiss", "crease", "crease"]
    edited = [{"line": 1, "kind": None}, {"line": 3, "kind": "score"}]
    shop.database.within(lambda session: editing.change(session, design, None, "by hand", {"line_edits": edited}))
    after, summary = found(shop, design)
    assert [line.kind for line in after] == ["through", "crease", "score"] and summary.report.lines == 3
    # a line that is found anew may stand elsewhere in the order: the changes by hand go with the same edit, and undo
    shop.database.within(lambda session: editing.change(session, design, None, "follow", {"follow": "hull"}))
    assert state(shop, design).document.line_edits == []
    revision = state(shop, design).design.revision
    shop.database.within(lambda session: edits.step(session, "design", design, revision, "undo"))
    assert [edit.line for edit in state(shop, design).document.line_edits] == [1, 3]
    shop.database.within(lambda session: editing.change(session, design, None, "bleed", {"bleed_mm": 1.0}))
    assert len(state(shop, design).document.line_edits) == 2  # bleed leaves the lines as they are
    gone = [{"line": number, "kind": None} for number in range(4)]
    shop.database.within(lambda session: editing.change(session, design, None, "all", {"line_edits": gone}))
    with pytest.raises(JobError, match="taken out by hand"):
        do(shop, line_finding.find_lines, design_id=design)


def test_what_was_left_out_of_a_file_is_told(shop: Shop) -> None:
    from tests.hostile import svgs

    content = dict(svgs())["picture outside.svg"]
    _, summary = found(shop, taken(shop, content, "picture outside.svg", width_mm=50.0, min_area_mm2=1.0))
    assert summary.caught.left_out == ["files outside the drawing"]
    _, clean = found(shop, taken(shop, SLEEVE_SVG, "sleeve.svg"))
    assert clean.caught.left_out == []


def pressed(shop: Shop, design: int, at: tuple[float, float], kind: Kind = "kiss") -> path_picking.Picked:
    now = state(shop, design)
    made = path_picking.press(shop, design, now.design.revision, at, 0.5, kind)
    do(shop, line_finding.find_lines, design_id=design)
    return made


def test_a_path_that_is_pressed_is_a_line_and_leaves_the_print_and_comes_back(shop: Shop) -> None:
    design = taken(shop, RINGS_SVG, "rings.svg", offset_mm=0.0)
    found(shop, design)
    as_it_was = state(shop, design)
    assert as_it_was.document.follow == "edge"

    picked = pressed(shop, design, (10 + 6, 20), "through")  # the right of the first ring
    assert picked.kind == "through" and picked.like == {"layer": 5, "colour": 3, "width": 4}
    lines, _ = found(shop, design)
    # the line that had been missed takes the place of the one round the art
    assert [line.kind for line in lines] == ["through"] and state(shop, design).document.follow == "none"
    assert shapely.Polygon(lines[0].path.flatten(0.001)).area == pytest.approx(np.pi * 36, rel=2e-3)
    assert [dark_at(shop, design, 10 + 20 * number + 6, 20) for number in range(4)] == [False, True, True, True]

    made = path_picking.press_like(shop, design, state(shop, design).design.revision, picked.path.number, "colour")
    assert made.kind == "through"
    lines, _ = found(shop, design)
    assert [line.kind for line in lines] == ["through"] * 4
    assert not any(dark_at(shop, design, 10 + 20 * number + 6, 20) for number in range(4))

    edits_back = [pressed(shop, design, (10 + 20 * number + 6, 20)).kind for number in range(4)]
    assert edits_back == [None] * 4
    now = state(shop, design)
    assert now.document.picked is None and now.lines_key == as_it_was.lines_key  # and so are its lines and its print


def dark_at(shop: Shop, design: int, x: float, y: float) -> bool:
    """Whether a ring is printed there, mm from the lower left: it has no red, all round it has."""
    sha = state(shop, design).lines.print_sha  # type: ignore[union-attr]
    assert sha is not None
    red = pypdfium2.PdfDocument(shop.blobs.read(sha))[0].render(scale=20 / MM).to_numpy()[..., 2]  # 20 pixels a mm
    row, column = round(red.shape[0] - y * 20), round(x * 20)
    return bool(red[row - 2 : row + 2, column - 1 : column + 2].min() < 120)


def test_what_was_pressed_becomes_a_rule_for_the_next_file(shop: Shop) -> None:
    design = taken(shop, RINGS_SVG, "rings.svg")
    found(shop, design)
    number = pressed(shop, design, (30 + 6, 20)).path.number
    with pytest.raises(JobError, match="No rule can tell this path by its layer"):
        path_picking.make_rule(shop, design, number, "layer")
    path_picking.make_rule(shop, design, number, "colour")
    path_picking.make_rule(shop, design, number, "colour")  # once is enough
    rules = shop.database.within(line_rules.rules_of)
    assert (rules[0].kind, rules[0].by, rules[0].values) == ("kiss", "colour", ("#00a0a0",)) and rules[1] != rules[0]
    other = taken(shop, RINGS_SVG, "more rings.svg")
    lines, summary = found(shop, other)
    assert summary.caught.caught == {"kiss": 4} and len(lines) == 4
    # one that the rule catches is given back by hand, here alone
    pressed(shop, other, (70 + 6, 20))
    assert len(found(shop, other)[0]) == 3 and len(found(shop, design)[0]) == 4


def test_what_was_pressed_goes_along_when_the_art_is_turned_or_replaced_by_its_like(shop: Shop) -> None:
    design = taken(shop, RINGS_SVG, "rings.svg")
    found(shop, design)
    pressed(shop, design, (10 + 6, 20))
    step = taking_in.ArrangeStep(do="turn", by=90)
    taking_in.arrange_art(shop, design, state(shop, design).design.revision, step)
    lines, _ = found(shop, design)
    ((x, y),) = [np.mean(line.path.flatten(0.01)[:-1], axis=0) for line in lines]
    assert (x, y) == pytest.approx((20, 10), abs=0.05)  # a quarter turn to the left: what was left lies below
    taking_in.replace_art(shop, design, RINGS_SVG.replace(b"#ffd040", b"#ffd041"), "newer.svg")
    assert len(found(shop, design)[0]) == 1
    taking_in.replace_art(shop, design, label_pdf(), "another.pdf")
    assert state(shop, design).document.picked is None


def test_the_same_art_at_two_sizes_is_two_designs_of_one_job(shop: Shop) -> None:
    design = taken(shop, RINGS_SVG, "rings.svg", offset_mm=1.0, due_count=7)
    found(shop, design)
    pressed(shop, design, (10 + 6, 20))
    other = shop.database.within(lambda session: whole.again(session, "design", design))
    one, two = state(shop, design), state(shop, other)
    assert two.lines_key == one.lines_key and two.lines is not None  # nothing has to be found again
    assert (two.document.name, two.document.ready, two.document.due_count) == ("Rings, again", False, 7)
    assert two.design.job_id == one.design.job_id and two.undo is None
    change = {"width_mm": 160.0}
    shop.database.within(lambda session: editing.change(session, other, None, "200 % as large", change))
    (line,) = found(shop, other)[0]
    assert shapely.Polygon(line.path.flatten(0.001)).area == pytest.approx(np.pi * 12**2, rel=2e-3)
    assert state(shop, design).document == one.document


def test_nothing_is_pressed_beside_the_art_or_in_a_picture(shop: Shop) -> None:
    design = taken(shop, RINGS_SVG, "rings.svg")
    revision = state(shop, design).design.revision
    with pytest.raises(JobError, match="No path lies there"):
        path_picking.press(shop, design, revision, (0.5, 0.5), 0.3, "kiss")
    with pytest.raises(Stale):
        path_picking.press(shop, design, revision + 1, (16, 20), 0.3, "kiss")
    with pytest.raises(JobError, match="not in the art any more"):
        path_picking.press_like(shop, design, revision, 99, "colour")
    picture = taken(shop, art_file("spark")[1], "spark.png")
    with pytest.raises(JobError, match="A picture has no paths"):
        path_picking.press(shop, picture, 1, (5, 5), 1, "kiss")


def test_lines_of_the_art_that_overlap_are_one_outline_when_that_is_wanted(shop: Shop) -> None:
    """Two squares of 20 mm on a layer “cut” that share 5 × 20 mm: 35 × 20 mm."""
    squares = "".join(f'<rect x="{x}" y="5" width="20" height="20" fill="none" stroke="#f0f"/>' for x in (5, 20))
    size = 'xmlns="http://www.w3.org/2000/svg" width="50mm" height="30mm" viewBox="0 0 50 30"'
    drawing = f'<svg {size}><g id="cut">{squares}</g></svg>'
    design = taken(shop, drawing.encode(), "squares.svg")
    found(shop, design)
    as_it_came = state(shop, design).lines_key
    assert len(found(shop, design)[0]) == 2
    change = {"merge_own": True}
    shop.database.within(lambda session: editing.change(session, design, None, "one outline", change))
    (line,) = found(shop, design)[0]
    assert shapely.Polygon(line.path.flatten(0.01)).area == pytest.approx(35 * 20, rel=1e-3)
    shown = trying.preview_lines(shop, design, {"join_mm": 0.06})
    assert len(shown.lines) == 1
    shop.database.within(lambda session: editing.change(session, design, None, "each", {"merge_own": False}))
    assert state(shop, design).lines_key == as_it_came
