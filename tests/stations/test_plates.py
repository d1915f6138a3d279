"""White, clear and named colours from the customer's file to the plates of a run; art that is arranged; files in
pairs."""

import csv
import subprocess
from io import BytesIO, StringIO
from pathlib import Path

import numpy as np
import pikepdf
import pytest
import shapely
from pikepdf import Dictionary, Name
from PIL import Image
from sqlalchemy.orm import Session

from etiquette.core.artwork.files_together import plate_named
from etiquette.core.artwork.pdf_reader import open_pdf, read_page
from etiquette.core.errors import JobError
from etiquette.files.line_rules import RulesFile
from etiquette.stations import designs, edits, line_rules, plate_sets, run_edits
from etiquette.stations.designs import DesignState
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.lines.taking_in import ArrangeStep, ArtFile
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shelf import colours, filling, keeping
from etiquette.stations.shelf.schemas import AddAsked
from etiquette.stations.shop import Shop
from etiquette.store.models import InkColour
from tests.stations.shop_floor import do, fill_shelf
from tests.stations.test_vector_designs import found, state, taken
from tests.vector_art import MM, add_page, circle, label_pdf, layer, rect, saved, spot


def spots_pdf() -> bytes:
    """60 × 40 mm: a disc of 10 mm radius in the spot Base coat under one of 8 mm in Rose; a word in Base coat; a box
    filled with Base coat and stroked in black, 0.5 mm wide; a kiss line of 17 mm radius."""
    pdf = pikepdf.new()
    font = Dictionary(Type=Name.Font, Subtype=Name.Type1, BaseFont=Name.Helvetica)
    content = (
        f"/Base cs 1 scn {circle(30, 20, 10)} f /Rose cs 1 scn {circle(30, 20, 8)} f "
        f"/Base cs 1 scn 0 0 0 RG {0.5 * MM:.4f} w {rect(2, 2, 6, 6)} B "
        f"BT /F 12 Tf {45 * MM:.4f} {30 * MM:.4f} Td (A) Tj ET "
        f"/Kiss CS 1 SCN 0.25 w {circle(30, 20, 17)} S"
    )
    spaces = Dictionary(Base=spot(pdf, "Base coat"), Rose=spot(pdf, "Rose"), Kiss=spot(pdf, "Kiss cut"))
    add_page(pdf, (60, 40), content, Dictionary(ColorSpace=spaces, Font=Dictionary(F=font)))
    return saved(pdf)


def area(shop: Shop, now: DesignState, plate: str) -> float:
    return float(sum(part.area for part in designs.plate_areas_of(shop, now, plate)))  # type: ignore[arg-type]


def change(shop: Shop, design: int, **changes: object) -> None:
    shop.database.within(lambda session: editing.change(session, design, None, "change", changes))


def disc(radius_mm: float, dpi: float = 300) -> bytes:
    """An opaque disc on a clear ground, its edge anti-aliased, in a square 4 mm wider than it."""
    side = round((2 * radius_mm + 4) * dpi / 25.4)
    y, x = (np.mgrid[:side, :side] + 0.5) * 25.4 / dpi - side * 25.4 / dpi / 2
    alpha = np.clip((radius_mm - np.hypot(x, y)) * dpi / 25.4 + 0.5, 0, 1)
    pixels = np.dstack([np.full_like(alpha, 40)] * 3 + [alpha * 255]).round().astype(np.uint8)
    out = BytesIO()
    Image.fromarray(pixels).save(out, "PNG", dpi=(dpi, dpi))
    return out.getvalue()


def test_white_stands_back_from_the_art_and_clear_fills_the_line(shop: Shop) -> None:
    design = taken(shop, disc(10), "a.png", white="art", white_choke_mm=0.5, clear="line", clear_choke_mm=-1)
    found(shop, design)
    now = state(shop, design)
    assert area(shop, now, "white") == pytest.approx(np.pi * 9.5**2, rel=0.004)
    assert area(shop, now, "clear") == pytest.approx(np.pi * 13.0**2, rel=0.004)  # line at 12 mm, spread by 1
    change(shop, design, white="none", clear="none")
    found(shop, design)
    assert state(shop, design).lines.white_sha is None  # type: ignore[union-attr]


def test_named_colours_become_white_and_inks_of_the_shop(shop: Shop) -> None:
    def house_red(session: Session) -> None:
        row = filling.add(session, "ink_colour", AddAsked(name="House red"))
        keeping.change(session, "ink_colour", row, 1, {"magenta": 90, "yellow": 70, "black": 10})

    shop.database.within(house_red)
    design = taken(shop, spots_pdf(), "a.pdf", spot_inks={"Base coat": "white", "Rose": "ink 1"})
    _, summary = found(shop, design)
    now = state(shop, design)
    assert summary.caught.spots == ["Base coat", "Rose"] and summary.caught.left_in == ["Base coat"]
    assert area(shop, now, "white") == pytest.approx(np.pi * 100 + 36, rel=1e-3)
    assert now.lines is not None and now.lines.print_sha
    with pikepdf.open(BytesIO(shop.blobs.read(now.lines.print_sha))) as pdf:
        space = pdf.pages[0].Resources.ColorSpace.Rose
        assert space[1] == Name("/House red") and [float(v) for v in space[3].C1] == pytest.approx([0, 0.9, 0.7, 0.1])
        drawn = [
            (str(one.operator), [str(v) for v in one.operands]) for one in pikepdf.parse_content_stream(pdf.pages[0])
        ]
    painting = [name for name, _ in drawn if name in ("f", "B", "S", "n")]
    assert painting == ["n", "f", "S", "n"]  # base disc gone, rose disc kept, box keeps its stroke, kiss line gone
    with pytest.raises(JobError, match="House red is still used: the design A"):
        shop.database.within(lambda session: filling.remove(session, "ink_colour", 1))


def layers_pdf() -> bytes:
    """60 × 40 mm: a red disc of 10 mm radius over one of 11 mm in grey in a layer “Weiss”, in which a word stands too;
    a yellow box stroked in black; a kiss line."""
    pdf = pikepdf.new()
    base, font = layer(pdf, "Weiss"), Dictionary(Type=Name.Font, Subtype=Name.Type1, BaseFont=Name.Helvetica)
    content = (
        f"/OC /Base BDC 0.8 g {circle(30, 20, 11)} f BT /F 12 Tf {45 * MM:.4f} {30 * MM:.4f} Td (A) Tj ET EMC "
        f"1 0 0 rg {circle(30, 20, 10)} f 1 1 0 rg 0 0 0 RG {0.5 * MM:.4f} w {rect(2, 2, 6, 6)} B "
        f"/Kiss CS 1 SCN 0.25 w {circle(30, 20, 17)} S"
    )
    spaces = Dictionary(Kiss=spot(pdf, "Kiss cut"))
    resources = Dictionary(ColorSpace=spaces, Properties=Dictionary(Base=base), Font=Dictionary(F=font))
    add_page(pdf, (60, 40), content, resources)
    pdf.Root.OCProperties = Dictionary(OCGs=[base], D=Dictionary(Order=[base]))
    return saved(pdf)


LAYERS_SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">
<g id="Weiss"><circle cx="30" cy="20" r="11" fill="#ccc"/><text x="45" y="10" font-size="4">A</text></g>
<circle cx="30" cy="20" r="10" fill="#f00"/>
<rect x="2" y="32" width="6" height="6" fill="#ff0" stroke="#000" stroke-width="0.5"/></svg>"""


@pytest.mark.parametrize(("content", "name"), [(layers_pdf(), "a.pdf"), (LAYERS_SVG, "a.svg")])
def test_a_layer_is_white_and_a_colour_is_clear(shop: Shop, content: bytes, name: str) -> None:
    """Discs of 11 mm and boxes of 6 mm by hand; what is marked leaves the colour, its stroke and its words do not."""
    design = taken(shop, content, name)
    _, summary = found(shop, design)
    assert summary.caught.layers[0] == "Weiss" and {"#ff0000", "#ffff00", "#000000"} <= set(summary.caught.colours)
    before = state(shop, design)
    change(shop, design, marked={"layer Weiss": "white", "colour #ffff00": "clear"})
    _, summary = found(shop, design)
    now = state(shop, design)
    assert now.lines_key != before.lines_key and summary.caught.left_in == ["Weiss"]
    assert area(shop, now, "white") == pytest.approx(np.pi * 121, rel=1e-3)
    assert area(shop, now, "clear") == pytest.approx(36, rel=1e-3)
    assert now.lines is not None and now.lines.print_sha
    left = read_page(open_pdf(shop.blobs.read(now.lines.print_sha), "print"), 0, "print")
    inks = {(one.fill and one.fill.colour, one.stroke and one.stroke.colour) for one in left.paths}
    assert ("#ff0000", None) in inks and (None, "#000000") in inks
    assert not {"#ffff00", "#cccccc"} & {fill for fill, _ in inks}


def plates(shop: Shop, design: int) -> dict[str, bytes]:
    shop.database.within(fill_shelf)
    run = shop.database.within(lambda session: run_edits.create(session, "Pair", [{"design_id": design, "count": 3}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    (plate_id,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    plate = shop.database.within(lambda session: plate_sets.plate_there(session, plate_id))
    return {name: shop.blobs.read(sha) for name, sha in plate_sets.plate_files(plate).items()}


def test_the_white_plate_is_one_separation_in_register_with_the_colour(shop: Shop, tmp_path: Path) -> None:
    """Ghostscript tiffsep: one file a separation; its dark area is that of three discs of 9.9 mm radius
    (every pixel that is touched is painted, so a fine raster is looked at)."""
    design = taken(shop, disc(10), "a.png", white="art")
    found(shop, design)
    files = plates(shop, design)
    assert list(files) == ["white", "colour"]
    sizes = []
    for name, content in files.items():
        with pikepdf.open(BytesIO(content)) as pdf:
            sizes.append([float(value) for value in pdf.pages[0].mediabox])
            assert (
                len([one for one in pdf.objects if isinstance(one, pikepdf.Stream) and one.get("/Subtype") == "/Form"])
                == 1
            )
        (tmp_path / f"{name}.pdf").write_bytes(content)
    assert sizes[0] == sizes[1]
    subprocess.run(["qpdf", "--check", str(tmp_path / "white.pdf")], check=True, capture_output=True)
    command = [
        "gs",
        "-q",
        "-dSAFER",
        "-dBATCH",
        "-dNOPAUSE",
        "-sDEVICE=tiffsep",
        "-r400",
        f"-sOutputFile={tmp_path}/p.tif",
        str(tmp_path / "white.pdf"),
    ]
    subprocess.run(command, check=True, capture_output=True)
    with Image.open(tmp_path / "p(White).tif") as tint:
        covered = (255 - np.asarray(tint.convert("L")).astype(float)).sum() / 255 * (25.4 / 400) ** 2
    assert covered == pytest.approx(3 * np.pi * 9.9**2, rel=0.01)
    with Image.open(tmp_path / "p(Cyan).tif") as tint:
        assert np.asarray(tint.convert("L")).min() == 255  # nothing but white in it


def test_on_the_second_surface_white_comes_last(shop: Shop) -> None:
    design = taken(shop, disc(10), "a.png", white="art")
    found(shop, design)
    taking_in.arrange_art(shop, design, 1, ArrangeStep(do="second surface"))
    now = state(shop, design).document
    assert now.second_surface and now.arranged is not None and now.arranged.mirror
    found(shop, design)
    assert list(plates(shop, design)) == ["colour", "white"]
    taking_in.arrange_art(shop, design, 2, ArrangeStep(do="second surface"))
    after = state(shop, design).document
    assert not after.second_surface and after.arranged is None


def test_art_is_turned_and_cropped_at_its_scale_and_undo_gives_it_back(shop: Shop) -> None:
    design = taken(shop, label_pdf(), "label.pdf", width_mm=120.0)  # twice its own size
    taking_in.arrange_art(shop, design, 1, ArrangeStep(do="turn"))
    assert (state(shop, design).document.width_mm, state(shop, design).height_mm) == pytest.approx((80, 120), abs=1e-3)
    taking_in.arrange_art(shop, design, 2, ArrangeStep(do="crop", box=(0, 0, 1, 0.5)))
    cropped = state(shop, design)
    assert (cropped.document.width_mm, cropped.height_mm) == pytest.approx((80, 60), abs=1e-3)
    made, _ = found(shop, design)
    # the red disc lay in the middle of the page: half of its kiss line still reaches in; the lines stay whole
    assert sorted(line.kind for line in made) == ["kiss", "through"]
    kiss = next(line for line in made if line.kind == "kiss")
    assert shapely.Polygon(kiss.path.flatten(0.01)).area == pytest.approx(4 * np.pi * 17**2, rel=1e-3)
    taking_in.replace_art(shop, design, label_pdf(), "newer.pdf")
    assert state(shop, design).height_mm == pytest.approx(60, abs=1e-3)  # newer art is arranged as the old was
    with pytest.raises(JobError, match="Nearly nothing"):
        taking_in.arrange_art(shop, design, 4, ArrangeStep(do="crop", box=(0, 0, 0.001, 1)))
    for revision in (4, 5, 6):
        shop.database.within(lambda session, now=revision: edits.step(session, "design", design, now, "undo"))
    assert state(shop, design).document.width_mm == 120.0 and state(shop, design).document.arranged is None


def pages(count: int, size: tuple[float, float] = (30, 20), radius: float = 5) -> bytes:
    pdf = pikepdf.new()
    for _ in range(count):
        add_page(pdf, size, f"0 0 1 rg {circle(15, 10, radius)} f", Dictionary())
    return saved(pdf)


def test_colour_and_clear_are_paired_by_name_page_by_page(shop: Shop) -> None:
    together = [
        ArtFile("jar_clear.pdf", lambda held=pages(2, radius=3): held),
        ArtFile("Jar_colour.pdf", lambda held=pages(2): held),
        ArtFile("other.pdf", lambda held=pages(1): held),
    ]
    ids = taking_in.take_in_together(shop, together, None)
    assert len(ids) == 3
    for design in ids[:2]:
        found(shop, design)
        assert area(shop, state(shop, design), "clear") == pytest.approx(np.pi * 9, rel=5e-3)
    assert state(shop, ids[2]).document.clear_art_id is None
    change(shop, ids[0], width_mm=60.0)  # the clear grows with the art
    found(shop, ids[0])
    assert area(shop, state(shop, ids[0]), "clear") == pytest.approx(np.pi * 36, rel=5e-3)


@pytest.mark.parametrize(
    ("clear", "reason"),
    [
        (pages(3), "has 2 pages and jar-clear.pdf has 3"),
        (pages(2, (30, 25)), "not of one size: 30.0 × 20.0 mm and 30.0 × 25.0 mm"),
    ],
)
def test_unequal_pages_are_refused_with_the_reason_and_nothing_is_kept(shop: Shop, clear: bytes, reason: str) -> None:
    with pytest.raises(JobError, match=reason):
        taking_in.take_in_together(
            shop, [ArtFile("jar.pdf", lambda held=pages(2): held), ArtFile("jar-clear.pdf", lambda: clear)], None
        )
    assert shop.database.within(lambda session: designs.designs_named(session, "")) == []


@pytest.mark.parametrize(
    ("name", "stem", "plate"),
    [
        ("jar-clear.pdf", "jar", "clear"),
        ("Jar label_WHITE.tif", "jar label", "white"),
        ("jar.cmyk.pdf", "jar", None),
        ("clear.pdf", "clear", None),
        ("kettle-lack.svg", "kettle", "clear"),
        ("clearwater.png", "clearwater", None),
    ],
)
def test_names_say_which_plate_a_file_is(name: str, stem: str, plate: str | None) -> None:
    assert plate_named(name) == (stem, plate)


@pytest.mark.parametrize(
    ("name", "said", "stem", "plate"),
    [
        ("jar 1.pdf", ["colour", "white"], "jar", None),
        ("jar_2.pdf", ["colour", "white"], "jar", "white"),
        ("jar-03.pdf", ["colour", "white", "clear"], "jar", "clear"),
        ("jar 3.pdf", ["colour", "white"], "jar 3", None),  # that number says nothing
        ("jar 1.pdf", ["white", "colour"], "jar", "white"),
        ("jar 12.pdf", ["colour", "white"], "jar 12", None),
        ("jar 2.pdf", [], "jar 2", None),
        ("jar-white.pdf", ["colour", "clear"], "jar", "white"),  # words say it as before
    ],
)
def test_numbers_say_which_plate_a_file_is_in_a_shop_that_says_so(
    name: str, said: list[str], stem: str, plate: str | None
) -> None:
    assert plate_named(name, said) == (stem, plate)


def test_files_numbered_at_the_end_are_one_design_when_the_shop_says_so(shop: Shop) -> None:
    def drop() -> list[DesignState]:
        names = ("jar 1.pdf", "jar 2.pdf", "lid 2.pdf")
        files = [ArtFile(name, lambda held=pages(1): held) for name in names]
        return [state(shop, design) for design in taking_in.take_in_together(shop, files, None)]

    assert [one.document.white_art_id for one in drop()] == [None, None, None]
    with pytest.raises(ValueError, match="one number is the colour"):
        RulesFile(rules=[], numbered=["white", "clear"])
    kept = RulesFile(rules=[], numbered=["colour", "white"])
    shop.database.within(lambda session: line_rules.keep_rules(session, 0, kept))
    jar, lid = drop()
    assert jar.document.white_art_id is not None and jar.art.file_name == "jar 1.pdf"
    assert lid.art.file_name == "lid 2.pdf" and lid.document.white_art_id is None  # no colour came with it


SCORED = b"""<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="30mm" viewBox="0 0 40 30">
<rect x="2" y="2" width="36" height="26" fill="#c23"/><g id="Score"><path d="M20 2V28" fill="none" stroke="#00f"
stroke-width=".2"/></g></svg>"""


def test_what_a_customer_means_by_score_is_asked_once(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    from etiquette.store.models import Job

    def job(customer: str) -> int:
        def add(session: object) -> int:
            row = Job(name="Box", customer=customer, due=None)
            session.add(row)  # type: ignore[attr-defined]
            session.flush()  # type: ignore[attr-defined]
            return row.id

        return shop.database.within(add)  # type: ignore[arg-type]

    foundry, ferry = job("Bell foundry"), job("River ferry")
    one, two, other = (taking_in.take_in(shop, SCORED, "box.svg", number)[0] for number in (foundry, foundry, ferry))
    made, summary = found(shop, one)
    assert [line.kind for line in made] == ["score"] and summary.caught.asks == ["score"]
    assert state(shop, one).meanings == {}
    shop.database.within(lambda session: editing.keep_meaning(session, one, "score", "crease"))
    for design in (one, two):
        made, summary = found(shop, design)
        assert [line.kind for line in made] == ["crease"] and state(shop, design).meanings == {"score": "crease"}
    assert state(shop, other).meanings == {} and found(shop, other)[0][0].kind == "score"


def test_a_gap_is_closed_a_double_taken_out_and_a_line_moved(shop: Shop) -> None:
    svg = b"""<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="30mm" viewBox="0 0 40 30"><g id="cut"
    fill="none" stroke="#f0f" stroke-width=".2">
    <path d="M5 5H35V25H5V5.6"/><path d="M5 5H35V25H5V5.6"/></g></svg>"""
    design = taken(shop, svg, "a.svg")
    made, summary = found(shop, design)
    wrong = [(one.what, one.repair, one.line, one.act) for one in summary.findings]
    assert ("open", "Close it", 0, "close") in wrong and ("twice", "Take one out", 1, "out") in wrong
    change(shop, design, line_edits=[{"line": 0, "kind": "through", "close": True, "move_mm": [2, -1.5]}, {"line": 1}])
    made, summary = found(shop, design)
    assert len(made) == 1 and made[0].path.closed and summary.findings == ()
    # y is up: the corner at (5, 30 − 5) moved by (2, −1.5)
    assert made[0].path.flatten(0.01).min(axis=0) == pytest.approx([7, 3.5]) and made[0].path.flatten(0.01).max(
        axis=0
    ) == pytest.approx([37, 23.5])


def test_ends_of_several_strokes_are_joined_within_the_distance_found(shop: Shop) -> None:
    svg = b"""<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="30mm" viewBox="0 0 40 30"><g id="cut"
    fill="none" stroke="#f0f" stroke-width=".2">
    <path d="M5 5H35V25"/><path d="M34.4 25H5V5.3"/></g></svg>"""
    design = taken(shop, svg, "a.svg")
    _, summary = found(shop, design)
    joins = [one for one in summary.findings if one.repair == "Join the ends"]
    within = max(one.changes["join_mm"] for one in joins)
    assert within >= 0.6
    change(shop, design, join_mm=within)
    made, summary = found(shop, design)
    assert len(made) == 1 and made[0].path.closed and summary.findings == ()
    assert shapely.Polygon(made[0].path.flatten(0.01)).area == pytest.approx(600, abs=0.1)


def test_a_named_colour_that_the_library_knows_is_mapped_when_the_art_comes_in(shop: Shop) -> None:
    """“rose” is in the library; “Base coat” is not, and “Kiss cut” is a line."""
    shop.database.within(lambda session: session.add(InkColour(name="rose", cyan=0, magenta=80, yellow=20, black=5)))
    shop.database.within(lambda session: session.add(InkColour(name="kiss cut", cyan=1, magenta=1, yellow=1, black=1)))
    away = InkColour(name="base coat", cyan=0, magenta=0, yellow=0, black=9, away=True)
    shop.database.within(lambda session: session.add(away))
    design = taken(shop, spots_pdf(), "a.pdf")
    assert state(shop, design).document.spot_inks == {"Rose": "ink 1"}
    asked = taken(shop, spots_pdf(), "b.pdf", spot_inks={"Rose": "white"})
    assert state(shop, asked).document.spot_inks == {"Rose": "white"}  # what is asked for counts


def test_the_library_goes_out_and_comes_in_as_csv(shop: Shop) -> None:
    """Out as RFC 4180, read by the standard library's reader; in with the separators and commas of spreadsheets."""
    sheet = "\ufeffName;Cyan;Magenta;Yellow;Black\r\nBell bronze;20;45,5 %;80;12\r\n;;;;\r\nRiver, deep;90;40;10;0\r\n"
    made = shop.database.within(lambda session: colours.take(session, sheet, "shop.csv"))
    assert (made.added, made.changed) == (2, 0)
    told = list(csv.DictReader(StringIO(shop.database.within(colours.written))))
    assert told[0] == {"name": "Bell bronze", "cyan": "20", "magenta": "45.5", "yellow": "80", "black": "12"}
    assert told[1]["name"] == "River, deep"
    again = shop.database.within(colours.written).replace("45.5", "46")
    made = shop.database.within(lambda session: colours.take(session, again, "shop.csv"))
    assert (made.added, made.changed) == (0, 1)
    for bad, words in (
        ("name,c,m,y,k\nRed,0,101,0,0\n", "Line 2: magenta “101” cannot be"),
        ("name,c,m,y,k\nRed,0,1,0,0\nA/B,0,1,0,0\n", "Line 3: name “A/B” cannot be"),
        ("name,c,m,y\nRed,0,1,0\n", "names no black"),
        ("", "names no name and no cyan"),
        ("name,c,m,y,k\nRed,0,nan,0,0\n", "Line 2: magenta"),
    ):
        with pytest.raises(JobError, match=words):
            shop.database.within(lambda session, bad=bad: colours.take(session, bad, "bad.csv"))
    assert shop.database.within(lambda session: session.query(InkColour).count()) == 2  # nothing of a bad file


def placeholder(width_mm: float = 40.0, dpi: float = 300) -> bytes:
    """Opaque, 40 × 30 mm on white: a green disc of 12 mm radius with a disc of 6 mm in loud magenta in it, edges
    smooth."""
    size = round(30 * dpi / 25.4), round(width_mm * dpi / 25.4)
    y, x = (np.mgrid[: size[0], : size[1]] + 0.5) * 25.4 / dpi - np.array([15, width_mm / 2])[:, None, None]
    pixels = np.full((*size, 3), 255.0)
    for radius, colour in ((12, (40, 120, 60)), (6, (255, 0, 255))):
        share = np.clip((radius - np.hypot(x, y)) * dpi / 25.4 + 0.5, 0, 1)[..., None]
        pixels = pixels * (1 - share) + share * np.array(colour)
    out = BytesIO()
    Image.fromarray(pixels.round().astype(np.uint8)).save(out, "PNG", dpi=(dpi, dpi))
    return out.getvalue()


@pytest.mark.parametrize("bleed", [0.0, 2.0])
def test_a_loud_colour_of_a_picture_stands_for_white(shop: Shop, bleed: float) -> None:
    design = taken(shop, placeholder(), "a.png", marked={"colour #ff00ff": "white"}, bleed_mm=bleed)
    found(shop, design)
    now = state(shop, design)
    assert area(shop, now, "white") == pytest.approx(np.pi * 36, rel=0.005)
    assert now.lines is not None and now.lines.print_picture_sha is not None
    with Image.open(shop.blobs.path(now.lines.print_picture_sha)) as image:
        printed = np.asarray(image)
    middle = printed[printed.shape[0] // 2, printed.shape[1] // 2]
    assert middle[3] == 0  # the placeholder is not printed
    beside = printed[printed.shape[0] // 2, printed.shape[1] // 2 + round(9 * 300 / 25.4)]
    assert beside.tolist() == [40, 120, 60, 255]
    outer = designs.outline_of_design(shop, now)
    assert outer is not None and outer.area == pytest.approx(np.pi * 14**2, rel=0.01)  # the line goes round all of it
    change(shop, design, marked={})
    found(shop, design)
    assert state(shop, design).lines.white_sha is None  # type: ignore[union-attr]
