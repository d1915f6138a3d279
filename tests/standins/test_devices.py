"""The simulated devices by themselves: they must be right, or every proof made with them is worth nothing."""

import os
from io import BytesIO
from pathlib import Path

import numpy as np
import pypdfium2
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from standins.cuts import Cuts
from standins.cutter import Cutter
from standins.faults import Faults
from standins.film import Film
from standins.ipp_printer import ABORTED, COMPLETED, HPGL, PDF, Job
from standins.judge import distances, planned_lines, report
from standins.knife import tip_path
from standins.laminator import Laminator
from standins.plotter_language import strokes
from standins.printer import Printer
from standins.room import Room
from standins.wire import Refused


@given(st.integers(0, 10_000), st.floats(200, 1500), st.floats(100, 3000))
def test_taking_the_film_off_gives_the_print_back(seed: int, width: float, length: float) -> None:
    random = np.random.default_rng(seed)
    film = Film.drawn(width, length, random)
    places = random.uniform((-10, -10), (width + 10, length + 10), (30, 2))
    assert np.abs(film.unmoved(film.moved(places)) - places).max() < 1e-6


def test_a_film_bends_stretches_and_turns_by_its_own_numbers() -> None:
    """Worked by hand: a bow of 1 mm moves the middle of the sheet by 1 mm against its ends."""
    film = Film(1000, 500, 0.001, -0.002, 0, 1.0, 0, 0, 5, -3)
    corners = film.moved(np.array([[0, 0], [1000, 0], [0, 250], [0, 500.0]]))
    assert corners[0] == pytest.approx((5, -3))
    assert corners[1] == pytest.approx((1000 * 1.001 + 5, -3))
    assert corners[2] == pytest.approx((1 + 5, 250 * 0.998 - 3))
    assert corners[3] == pytest.approx((5, 500 * 0.998 - 3))


def test_the_judge_measures_a_known_shift_and_misses_nothing() -> None:
    square = np.array([[0, 0], [100, 0], [100, 100], [0, 100], [0, 0.0]])
    other = square + (300, 0)
    moved = report([square + (0.2, 0), other], [square, other])
    assert moved["worst_mm"] == pytest.approx(0.2, abs=1e-3)
    assert moved["cut_mm"] == pytest.approx(800)
    # a line that was not cut is a miss as large as the way to the nearest cut
    assert report([square], [square, other])["worst_mm"] == pytest.approx(300)
    # and so is a cut where none was wanted
    assert distances([square, other], [square]).max() == pytest.approx(300)
    assert report([], [square])["worst_mm"] == np.inf


def test_planned_lines_are_read_with_curves_and_origin(tmp_path: Path) -> None:
    """The quarter circle of radius 10 drawn as one cubic, 20 mm high art at (100, 50) of the run."""
    k = 10 * 0.5522847498
    svg = (
        '<svg xmlns="http://www.w3.org/2000/svg" data-origin="100,50" data-art="20,20">'
        f'<path d="M10,0 C{10 + k},0 20,{10 - k} 20,10 L10,10 Z"/><path d="M0,20L5,20L5,15"/></svg>'
    )
    curve, open_line = planned_lines(svg)
    assert curve[0] == pytest.approx((110, 70)) and curve[-1] == pytest.approx((110, 70))
    arc = curve[:25] - (110, 60)
    assert np.hypot(*arc.T) == pytest.approx(10, abs=0.005)
    assert open_line.tolist() == [[100, 50], [105, 50], [105, 55]]


def test_the_plotter_language() -> None:
    """HP 7475A Interfacing and Programming Manual, 1983: 1016 units are 25.4 mm."""
    made = strokes("IN;SP1;PU0,0;PD1016,0,1016,1016;PU;SP2;PA0,0;PD;PR400,0,0,400;PU;SP0;")
    assert [one.pen for one in made] == [1, 2]
    assert made[0].points == pytest.approx(np.array([[0, 0], [25.4, 0], [25.4, 25.4]]))
    assert made[1].points.tolist() == [[0, 0], [10, 0], [10, 10]]


def test_arcs_and_forces_of_the_plotter_language() -> None:
    """AA x, y, degrees: about a centre, counter-clockwise; in a machine of finer steps."""
    (quarter,) = strokes("SP3;FS70;PU2000,1000;PD;AA1000,1000,90;PU;", 0.01)
    assert quarter.force == 70 and quarter.points[-1] == pytest.approx([10, 20])
    assert np.hypot(*(quarter.points - 10).T) == pytest.approx(np.full(len(quarter.points), 10))


def test_a_blunt_blade_needs_more_force_and_everybody_sees_how_deep_it_went(room: Room) -> None:
    cutter = Cutter(room)
    cutter.answer({"ask": "blank", "width_mm": 60, "length_mm": 60})

    def grey(x: float, force: int) -> float:
        cutter.plotter.feed(f"SP4;FS{force};PU{x * 40:.0f},400;PD{x * 40:.0f},2000;PU{x * 40:.0f},1200;".encode())
        pixels = np.asarray(Image.open(BytesIO(cutter.look(None)[0])), dtype=float)
        return float(pixels[100:260, 178:182].mean(axis=0).min())

    shallow, through, liner = grey(20, 40), grey(30, 70), grey(40, 120)
    assert shallow > through + 40 > liner + 60
    cutter.answer({"ask": "wear", "seed": 1})
    cutter._offset, cutter._sensor, cutter._feed = 0.0, np.zeros(2), 1.0
    assert grey(50, 60) > through + 40  # what was through with a sharp blade no longer is


@pytest.fixture
def room(tmp_path: Path) -> Room:
    return Room(tmp_path)


def page(width_mm: float = 120, length_mm: float = 90) -> bytes:
    """A page with one black disc of 6 mm at (30, 20) and a square line round (60..80, 40..60) as its cut."""
    from PIL import ImageDraw

    scale = 600 / 25.4
    image = Image.new("RGB", (round(width_mm * scale), round(length_mm * scale)), "white")
    draw = ImageDraw.Draw(image)
    x, y, r = 30 * scale, image.height - 20 * scale, 3 * scale
    draw.ellipse([x - r, y - r, x + r, y + r], fill="black")
    out = BytesIO()
    image.save(out, "PDF", resolution=600)
    return out.getvalue()


LINES = '<svg xmlns="http://www.w3.org/2000/svg" data-art="120,90"><path d="M60,30L80,30L80,50L60,50Z"/></svg>'


def job(name: str, *documents: tuple[str, str, bytes]) -> Job:
    made = Job(1, f"{name} Targets", "tests")
    made.documents += documents or (("colour", PDF, page()),)
    made.close()
    return made


def printed(room: Room, name: str = "A-1") -> Printer:
    printer = Printer(room)
    printer.answer({"ask": "load roll", "name": "White", "width_mm": 500, "left_mm": 1000})
    made = job(name)
    printer.work(made)
    assert made.state == COMPLETED, made.message
    return printer


def disc_at(cutter: Cutter, x: float, y: float) -> tuple[float, float]:
    """Centre of darkness of a window, on the cutter: a reader of its own, not Etiquette's."""
    cutter.plotter.feed(f"PU{x * 40:.0f},{y * 40:.0f};".encode())
    picture, _, (x, y), mm_per_px = cutter.look(None)
    grey = np.asarray(Image.open(BytesIO(picture))).astype(float)
    dark = np.clip(150 - grey, 0, None)
    rows, columns = np.mgrid[: grey.shape[0], : grey.shape[1]] + 0.5
    column, row = (columns * dark).sum() / dark.sum(), (rows * dark).sum() / dark.sum()
    return x + (column - grey.shape[1] / 2) * mm_per_px, y - (row - grey.shape[0] / 2) * mm_per_px


def test_a_print_takes_its_length_off_the_roll_and_lies_on_the_shelf(room: Room) -> None:
    printer = printed(room)
    assert printer.answer({"ask": "state"})["roll"]["left_mm"] == pytest.approx(910, abs=0.2)
    note = room.note("A-1")
    assert note["state"] == "printed" and note["width_mm"] == pytest.approx(120, abs=0.05)


def test_the_printer_refuses_what_does_not_fit(room: Room) -> None:
    printer = Printer(room)
    for width, left, words in ((100, 1000, "120 mm wide"), (500, 40, "40 mm are left")):
        printer.answer({"ask": "load roll", "name": "White", "width_mm": width, "left_mm": left})
        refused = job("B-1")
        printer.work(refused)
        assert refused.state == ABORTED and words in refused.message
        assert printer.answer({"ask": "state"})["roll"]["left_mm"] == left and not room.folder("B-1").exists()
    for name in ("../B-1", "", "a/b"):
        with pytest.raises(Refused, match="not the name"):
            room.folder(name)


def test_plates_of_other_sizes_would_not_register_and_a_knife_needs_a_print_under_it(room: Room) -> None:
    printer = Printer(room)
    unlike = job("B-1", ("colour", PDF, page()), ("white", PDF, page(121)))
    printer.work(unlike)
    assert unlike.state == ABORTED and "white plate is not of the size" in unlike.message
    cut = job("B-2", ("cut", HPGL, b"SP4;PU0,0;PD400,0;PU;"))
    printer.work(cut)
    assert cut.state == ABORTED and "No print lies under the knife" in cut.message
    both = job("B-3", ("colour", PDF, page()), ("cut", HPGL, b"SP4;PU0,0;PD400,0;PU;"))
    printer.work(both)
    assert both.state == COMPLETED and room.note("B-3")["state"] == "cut"
    assert [line.tolist() for _, line, _ in Cuts.kept_in(room.folder("B-3") / "cuts.json").made] == [[[0, 0], [10, 0]]]


def test_the_printed_pixels_are_those_of_the_page(room: Room) -> None:
    """Printed band by band, compared with the page rendered in one piece."""
    content = page()
    whole = pypdfium2.PdfDocument(content)[0].render(scale=150 / 72, rev_byteorder=True).to_numpy()[..., :3].astype(int)
    Printer(room).work(job("C-1", ("colour", PDF, content)))
    pixels = room.pixels("C-1").astype(int)
    assert pixels.shape == whole.shape
    assert np.abs(pixels - whole).mean() < 0.5 and (np.abs(pixels - whole) > 60).mean() < 0.002


@pytest.mark.parametrize("end", ["head", "tail"])
@pytest.mark.parametrize("film_on", [False, True])
def test_the_head_sees_the_print_where_the_truth_says(room: Room, end: str, film_on: bool) -> None:
    printed(room)
    if film_on:
        assert Laminator(room).answer({"ask": "laminate", "name": "A-1", "seed": 4})["state"] == "laminated"
    cutter = Cutter(room)
    cutter.answer({"ask": "load", "name": "A-1", "end": end, "seed": 5})
    load = cutter._load
    assert load is not None
    truth = load.to_cutter(load.film.moved(np.array([[30.0, 20.0]])))[0]
    seen = disc_at(cutter, float(truth[0]) + 2.0, float(truth[1]) - 1.5)
    assert seen == pytest.approx(tuple(truth), abs=0.04)


def test_the_cutter_judges_its_own_cut_against_the_truth(room: Room) -> None:
    printed(room)
    Laminator(room).answer({"ask": "laminate", "name": "A-1", "seed": 9})
    cutter = Cutter(room)
    cutter.answer({"ask": "load", "name": "A-1", "end": "tail", "seed": 1})
    load = cutter._load
    assert load is not None
    (wanted,) = load.wanted(planned_lines(LINES))

    def plotted(line: np.ndarray) -> str:
        units = np.round(line / 0.025).astype(int)
        return f"IN;SP1;PU{units[0, 0]},{units[0, 1]};PD" + ",".join(f"{x},{y}" for x, y in units[1:]) + ";PU;"

    def judged(**more: str) -> dict[str, float]:
        return dict(cutter.answer({"ask": "judge", "lines": LINES, **more})["report"])

    assert judged(hpgl=plotted(wanted))["worst_mm"] < 0.03
    assert judged(hpgl=plotted(wanted + (0.5, 0)))["worst_mm"] == pytest.approx(0.5, abs=0.05)
    assert load.cuts.made == []
    half = plotted(wanted).encode()
    for piece in (half[:20], half[20:41], half[41:]):  # however the bytes come
        assert cutter.plotter.feed(piece) == b""
    assert len(load.cuts.made) == 1
    assert judged()["worst_mm"] < 0.03
    cutter.answer({"ask": "load", "name": "A-1", "end": "head", "seed": 2})
    # cuts belong to the sheet: laid anew, the other way round, they lie where they were cut
    assert judged()["worst_mm"] < 0.03


def test_a_plotter_answers_in_its_turn_and_what_was_asked_for_is_cut_by_then(room: Room) -> None:
    """HP 7475A manual: OA, OS, OE, OI, OF; ESC.O and ESC.K do not wait for their turn."""
    cutter = Cutter(room)
    cutter.answer({"ask": "blank", "width_mm": 60, "length_mm": 60})
    load = cutter._load
    assert load is not None
    said = cutter.plotter.feed(b"OI;OF;SP1;PU400,400;PD800,400;OA;")
    assert said == b"EQ-SIM\r40,40\r800,400,1\r" and len(load.cuts.made) == 1
    assert cutter.plotter.feed(b"XY1;OE;OE;OS;") == b"1\r0\r24\r"
    cutter.answer({"ask": "fault", "kind": "out"})
    assert cutter.plotter.feed(b"PU;PU0,0;PD40,0;OA;") == b""  # it stands, and answers nothing that waits
    assert cutter.plotter.feed(b"\x1b.O") == b"32\r"
    cutter.answer({"ask": "blank", "width_mm": 60, "length_mm": 60})
    assert cutter.plotter.feed(b"OA;") == b"0,0,0\r"  # what waited is forgotten


def test_devices_say_what_they_cannot_do(room: Room) -> None:
    printed(room)
    cutter, laminator = Cutter(room), Laminator(room)
    for request, words in (
        ({"ask": "picture"}, "No sheet"),
        ({"ask": "load", "name": "Z-9"}, "no sheet Z-9"),
        ({"ask": "load", "name": "A-1", "end": "side"}, "head or tail"),
    ):
        with pytest.raises(Refused, match=words):
            cutter.answer(request)
    laminator.answer({"ask": "laminate", "name": "A-1"})
    with pytest.raises(Refused, match="film on it already"):
        laminator.answer({"ask": "laminate", "name": "A-1"})


def test_a_drag_knife_trails_its_pivot() -> None:
    """The tractrix by hand: pulled straight by s, tan(a/2) of a blade at a right angle falls from 1 to exp(−s/d)."""
    tip, heading = tip_path(np.array([[0, 0], [0.5, 0.0]]), 0.25, np.pi / 2)
    angle = 2 * np.arctan(np.exp(-2.0))
    assert heading == pytest.approx(angle)
    assert tip[0] == pytest.approx((0, -0.25))
    assert tip[-1] == pytest.approx((0.5 - 0.25 * np.cos(angle), -0.25 * np.sin(angle)))
    straight, _ = tip_path(np.array([[0, 0], [10, 0.0]]), 0.25, 0.0)
    assert np.abs(straight[:, 1]).max() == 0


def test_faults_happen_once_they_are_due() -> None:
    faults = Faults()
    faults.set({"kind": "slip", "after": 2, "x": 1.0, "y": -0.5})
    assert [faults.slip() is None for _ in range(2)] == [True, True]
    moved = faults.slip()
    assert moved is not None and moved.tolist() == [1.0, -0.5]
    assert faults.slip() is None
    faults.set({"kind": "drop", "on": "answer", "after": 1, "bytes": 7})
    assert [faults.dropped(on) for on in ("look", "answer", "answer", "answer")] == [None, None, 7, None]


def test_the_shelf_of_the_room_holds_so_many_sheets_and_no_more(room: Room, monkeypatch: pytest.MonkeyPatch) -> None:
    """What was cut goes first, the oldest first; what waits for its cut stays as long as there is place."""
    monkeypatch.setattr("standins.room.MOST_CUT", 2)
    monkeypatch.setattr("standins.room.MOST_SHEETS", 4)
    for number in range(7):
        folder = room.folder(f"S-{number}")
        folder.mkdir()
        room.write_note(f"S-{number}", {"name": f"S-{number}"})
        os.utime(folder / "sheet.json", (number, number))
        if number not in (0, 3):
            (folder / "cuts.json").write_text("")
    room.clear_away()
    assert sorted(file.name for file in room.shelf.iterdir()) == ["S-3", "S-5", "S-6"]
    room.clear_away()
    assert len(list(room.shelf.iterdir())) == 3
