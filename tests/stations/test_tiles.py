"""A design larger than its stock is taken apart: its tiles are designs, each on a frame of its own; put together from
the print files of their frames they are the graphic again (read by pikepdf)."""

from io import BytesIO
from typing import Any

import numpy as np
import pikepdf
import pypdfium2 as pdfium
import pytest
from PIL import Image
from shapely import union_all
from shapely.affinity import translate
from skimage import data
from sqlalchemy import select

from etiquette.core.errors import JobError
from etiquette.files.vectors import read_areas
from etiquette.intake import job_saving
from etiquette.stations import edits, runs
from etiquette.stations.designs import state_of
from etiquette.stations.floor.quoting import quote_job
from etiquette.stations.job_pieces import counted
from etiquette.stations.line_finding import find_lines
from etiquette.stations.lines import assembling, editing, taking_in, tiling
from etiquette.stations.lines.tiles_views import tiles_shown, tint_of
from etiquette.stations.plate_sets import lines_of_plate
from etiquette.stations.print import plating
from etiquette.stations.run import nesting, webs
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, KeptFile, Plate, Roll, Stock
from tests.server.test_statements import counted as statements_counted
from tests.stations.shop_floor import do, emptied, fill_shelf, take_in_job


@pytest.fixture
def wall(shop: Shop) -> int:
    """Noise of 300 × 100 pixels, 600 × 200 mm large, twice."""
    shop.database.within(fill_shelf)
    (made,) = taking_in.take_in(shop, picture_file(), "wall.png", None, {"width_mm": 600.0, "due_count": 2})
    return made


PIXELS = np.random.default_rng(3).integers(0, 256, (100, 300, 3), np.uint8)


def picture_file() -> bytes:
    out = BytesIO()
    Image.fromarray(PIXELS).save(out, "PNG")
    return out.getvalue()


def revision(shop: Shop, design: int) -> int:
    return shop.database.within(lambda session: edits.locked(session, "design", design).revision)


def change(shop: Shop, design: int, **changes: Any) -> Any:
    number = revision(shop, design)
    if shop.database.within(lambda session: edits.locked(session, "design", design).document.tiles) is None:
        shop.database.within(lambda session: tiling.begin(session, design, number))
        number = revision(shop, design)
    shop.database.within(lambda session: tiling.change(session, design, number, "tiles", changes))
    return shown(shop, design)


def shown(shop: Shop, design: int) -> Any:
    return shop.database.within(lambda session: tiles_shown(session, design))


def made(shop: Shop, design: int) -> dict[int, int]:
    """Makes the tiles; their designs by number."""
    do(shop, tiling.make_tiles, design_id=design)
    return shop.database.within(
        lambda session: {
            number: one.id for number, one in tiling.tiles_made(session, session.get_one(Design, design)).items()
        }
    )


def document(shop: Shop, design: int) -> Any:
    return shop.database.within(lambda session: session.get_one(Design, design).document)


def plates(shop: Shop, design: int) -> tuple[Any, list[Plate]]:
    run = shop.database.within(lambda session: tiling.make_run(session, design))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    state = shop.database.within(lambda session: runs.state_of(shop, session, run))
    assert state.trouble is None, state.trouble
    do(shop, plating.make_plates, run_id=run)
    rows = select(Plate).where(Plate.run_id == run).order_by(Plate.id)
    return state, shop.database.within(lambda session: list(session.scalars(rows)))


def picture_in(pdf: bytes) -> np.ndarray:
    with pikepdf.open(BytesIO(pdf)) as read:
        pictures = [one for one in read.objects if isinstance(one, pikepdf.Stream) and one.get("/Subtype") == "/Image"]
        return np.asarray(pikepdf.PdfImage(pictures[0]).as_pil_image().convert("RGB"))


def test_a_graphic_is_the_same_again_from_the_frames_of_its_tiles(shop: Shop, wall: int) -> None:
    told = change(shop, wall, media_mm=220.0, overlap_mm=4.0)
    assert [one.width_mm for one in told.tiles] == [204, 208, 204] and told.across == [200, 400]
    designs = made(shop, wall)
    assert sorted(designs) == [1, 2, 3] and shown(shop, wall).fresh
    assert document(shop, wall).due_count == 0 and document(shop, designs[2]).due_count == 2
    state, there = plates(shop, wall)
    assert len(there) == 6 and state.document.laying == "each"  # three tiles, each twice
    again = np.zeros_like(PIXELS)
    for plate in there:
        tile = document(shop, plate.summary.placed[0]).tile
        left = {1: 0, 2: 98, 3: 198}[tile.number]
        part = picture_in(shop.blobs.read(plate.pdf_sha))
        again[:, left : left + part.shape[1]] = part
        (line,) = lines_of_plate(shop, plate).lines
        points = line.path.flatten(0.01)
        assert np.ptp(points, axis=0) == pytest.approx([told.tiles[tile.number - 1].width_mm, 200], abs=0.02)
    assert (again == PIXELS).all()


def test_ticks_and_number_stand_beside_the_tile_off_its_marks(shop: Shop, wall: int) -> None:
    change(shop, wall, media_mm=220.0, overlap_mm=4.0, turned="alternate")
    made(shop, wall)
    state, there = plates(shop, wall)
    assert [one.rotation_deg for one in state.document.layout.placements] == [0, 0, 180, 180, 0, 0]
    plan = state.plans[2]  # the first print of tile 2, turned by a half
    (x0, y0, x1, y1), (note,) = plan.work, plan.notes
    assert "tile 2 of 3" in note.words and note.turn_deg == 180
    # seam and neighbour's edge on each side, at head and foot: 4 and 8 mm inside what is printed, which is 208 wide
    ups = sorted({round((box[0] + box[2]) / 2 - x0 - 12, 2) for box in plan.black})
    assert len(plan.black) == 8 and ups == [4, 8, 200, 204]
    assert all(x0 <= box[0] and box[2] <= x1 and y0 <= box[1] and box[3] <= y1 for box in plan.black)
    page = pdfium.PdfDocument(shop.blobs.read(there[2].pdf_sha))[0]
    seen = np.asarray(page.render(scale=2).to_pil().convert("L"))
    for box in plan.black:
        x, y = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
        column, row = round(x / 25.4 * 144), seen.shape[0] - round(y / 25.4 * 144)
        assert seen[row - 1 : row + 2, column - 2 : column + 3].min() < 190


def test_a_tile_that_changes_is_made_anew_and_the_others_stay(shop: Shop, wall: int) -> None:
    change(shop, wall, media_mm=220.0, overlap_mm=4.0)
    before = made(shop, wall)
    arts = {number: document(shop, one).art_id for number, one in before.items()}
    told = change(shop, wall, across=[200.0, 404.0])
    assert told.document.by == "typed" and not told.fresh
    after = made(shop, wall)
    assert after == before and shown(shop, wall).fresh
    now = {number: document(shop, one).art_id for number, one in after.items()}
    assert now[1] == arts[1] and now[2] != arts[2]
    change(shop, wall, off=[2])
    assert sorted(made(shop, wall)) == [1, 3]
    number = revision(shop, wall)
    shop.database.within(lambda session: tiling.be_whole(session, wall, number))
    assert document(shop, wall).due_count == 2 and shown(shop, wall).document is None
    assert shop.database.within(lambda session: session.get(Design, before[1])) is None


def test_a_wall_has_a_window_and_its_print_leaves_it_out(shop: Shop, wall: int) -> None:
    told = change(shop, wall, media_mm=320.0, overlap_mm=0.0, openings=[[80, 60, 100, 80]])
    assert len(told.tiles) == 2
    made(shop, wall)
    _, there = plates(shop, wall)
    kinds = [(line.kind, line.path.closed) for line in lines_of_plate(shop, there[0]).lines]
    assert kinds == [("through", True)] * 2
    page = pdfium.PdfDocument(shop.blobs.read(there[0].pdf_sha))[0]
    x0, y0, *_ = there[0].summary.plan.work
    seen = np.asarray(page.render(scale=1).to_pil().convert("L"))
    left, low = x0 + 12 + 84, y0 + 12 + 64
    inside = seen[
        seen.shape[0] - round((low + 72) / 25.4 * 72) : seen.shape[0] - round(low / 25.4 * 72),
        round(left / 25.4 * 72) : round((left + 92) / 25.4 * 72),
    ]
    assert inside.min() == 255


def test_seams_are_found_where_the_art_is_plain(shop: Shop) -> None:
    shop.database.within(fill_shelf)
    pixels = np.full((200, 600, 3), 210, np.uint8)
    pixels[40:160, 260:340:4] = 10  # letters in the middle
    out = BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    (design,) = taking_in.take_in(shop, out.getvalue(), "sign.png", None, {"width_mm": 600.0, "due_count": 1})
    change(shop, design, media_mm=400.0)
    do(shop, tiling.find_seams, design_id=design)
    told = shown(shop, design)
    assert told.document.by == "content" and len(told.across) == 1 and not 256 <= told.across[0] <= 344
    tint = Image.open(BytesIO(shop.database.within(lambda session: tint_of(shop, session, design))))
    alpha = np.asarray(tint)[..., 3].astype(int)
    middle = alpha.shape[1] // 2
    assert alpha[:, middle - 4 : middle + 4].max() > 120 and alpha[:, : middle // 2].max() < 40


def test_what_cannot_be_is_told_and_nothing_is_made(shop: Shop, wall: int) -> None:
    told = change(shop, wall, across=[20.0])
    assert "the stock takes" in told.wrong and told.tiles == []
    with pytest.raises(JobError, match="the stock takes"):
        do(shop, tiling.make_tiles, design_id=wall)
    with pytest.raises(JobError, match="not made yet"):
        shop.database.within(lambda session: tiling.make_run(session, wall))
    assert document(shop, wall).due_count == 2


@pytest.mark.parametrize("layers", [{"both_sides": {}}, {"clear": "area", "clear_area": [0.0, 0.0, 50.0, 50.0]}])
def test_what_would_not_be_parted_with_it_is_not_taken_apart(shop: Shop, wall: int, layers: dict[str, Any]) -> None:
    shop.database.within(lambda session: editing.change(session, wall, None, "layers", layers))
    change(shop, wall)
    with pytest.raises(JobError, match="would not be parted"):
        do(shop, tiling.make_tiles, design_id=wall)


def test_the_assembly_is_kept_with_the_job_and_takes_the_place_of_the_one_before(shop: Shop, wall: int) -> None:
    change(shop, wall, media_mm=220.0)
    assembling.pin(shop, wall)
    change(shop, wall, off=[3])
    assembling.pin(shop, wall)
    (kept,) = shop.database.within(lambda session: list(session.scalars(select(KeptFile))))
    words = pdfium.PdfDocument(shop.blobs.read(kept.content_sha))[0].get_textpage().get_text_range()
    assert "in 2 tiles" in words and kept.name == "Wall, assembly.pdf"
    assert Image.open(BytesIO(assembling.assembly_png(shop, wall))).size[0] > 1500


def test_tiles_of_a_vector_drawing_stay_vector(shop: Shop, wall: int) -> None:
    drawing = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="360mm" height="80mm" viewBox="0 0 1800 400">'
        '<rect width="1800" height="400" fill="#dde5d0"/><circle cx="900" cy="200" r="150" fill="#a03020"/></svg>'
    )
    (design,) = taking_in.take_in(shop, drawing.encode(), "banner.svg", None, {"due_count": 1})
    change(shop, design, media_mm=220.0, overlap_mm=2.0)
    made(shop, design)
    _, there = plates(shop, design)
    with pikepdf.open(BytesIO(shop.blobs.read(there[0].pdf_sha))) as pdf:
        kinds = {str(one.get("/Subtype")) for one in pdf.objects if isinstance(one, pikepdf.Stream)}
    assert "/Image" not in kinds and len(there) == 2


def test_a_job_with_tiles_goes_into_another_shop(shop: Shop, wall: int) -> None:
    change(shop, wall, media_mm=220.0)
    designs = made(shop, wall)
    job = shop.database.within(lambda session: session.get_one(Design, wall).job_id)
    out = BytesIO()
    job_saving.save(shop, job, out)
    shop.database.within(emptied)
    take_in_job(shop, out.getvalue())

    def there(session: Any) -> tuple[Any, dict[int, Design]]:
        whole = next(one for one in session.scalars(select(Design)) if one.document.tiles)
        return whole.id, tiling.tiles_made(session, whole)

    whole, tiles = shop.database.within(there)
    assert sorted(tiles) == sorted(designs) and shown(shop, whole).fresh


def test_however_many_stocks_there_are_they_take_no_more_statements(shop: Shop, wall: int) -> None:
    change(shop, wall, media_mm=220.0)

    def asked() -> tuple[int, int]:
        with statements_counted(shop) as said:
            told = shown(shop, wall)
        return len(said), len(told.stocks)

    def more(session: Any) -> None:
        for number in range(20):
            stock = Stock(
                name=f"Felt {number}",
                width_mm=700.0 + number,
                price_m2=1,
                currency="EUR",
                tolerance_mm=0.3,
                takes_film=bool(number % 2),
            )
            session.add(stock)
            session.flush()
            session.add(Roll(name=f"Roll {number}", stock_id=stock.id, length_mm=9000.0, remaining_mm=9000.0))

    few = asked()
    shop.database.within(more)
    many = asked()
    assert many[1] == few[1] + 20 and many[0] == few[0]


def test_what_is_taken_apart_is_quoted_by_its_tiles(shop: Shop, wall: int) -> None:
    change(shop, wall, media_mm=220.0, overlap_mm=0.0)
    made(shop, wall)
    job = shop.database.within(lambda session: session.get_one(Design, wall).job_id)
    told = shop.database.within(lambda session: quote_job(shop, session, job, [1.0]))
    assert told.quotes[0].pieces == 6  # three tiles, twice; the whole is not counted besides
    counts = shop.database.within(lambda session: counted(session, [wall]))
    assert counts[wall].pieces.due == 0
    assert shop.database.within(lambda session: webs.begin(shop, session, [wall])) > 0


def test_seams_that_are_looked_for_spare_a_face_and_the_tint_shows_it(shop: Shop) -> None:
    """The public portrait that scikit-image brings, cut so that the even seam would go through the face."""
    shop.database.within(fill_shelf)
    out = BytesIO()
    Image.fromarray(data.astronaut()[:230, 74:374]).save(out, "PNG")
    (wall,) = taking_in.take_in(shop, out.getvalue(), "portrait.png", None, {"width_mm": 3000.0})
    change(shop, wall, media_mm=2300.0, overlap_mm=0.0)
    do(shop, tiling.find_seams, design_id=wall)
    ((x, y, wide, high),) = document(shop, wall).tiles.faces
    assert x < 1300 < 1700 < x + wide and y < 900 < 1200 < y + high  # eyes and mouth
    (seam,) = shown(shop, wall).across
    assert not x < seam < x + wide
    tint = np.asarray(Image.open(BytesIO(shop.database.within(lambda session: tint_of(shop, session, wall)))))[..., 3]
    rows, columns = tint.shape
    inside = tint[
        int(rows * (1 - (y + high - 60) / 2300)) : int(rows * (1 - (y + 60) / 2300)),
        int(columns * (x + 60) / 3000) : int(columns * (x + wide - 60) / 3000),
    ]
    assert inside.min() == 190 and tint[: rows // 20].max() < 190
    change(shop, wall, spare_faces=False, faces=[])
    do(shop, tiling.find_seams, design_id=wall)
    assert document(shop, wall).tiles.faces == []


def white_of(shop: Shop, design: int) -> Any:
    """What is white on a design by its lines, mm."""
    do(shop, find_lines, design_id=design)
    lines = shop.database.within(lambda session: state_of(session, design)).lines
    assert lines is not None
    return union_all(read_areas(shop.blobs.read(lines.white_sha)) if lines.white_sha else [])


def test_a_white_that_is_a_file_of_its_own_is_parted_with_the_graphic(shop: Shop, wall: int) -> None:
    """In the white file a block from 100 to 350 mm across and from 50 to 150 mm up is painted, on nothing."""
    white = np.zeros((200, 600, 4), np.uint8)
    white[50:150, 100:350] = (0, 0, 0, 255)
    out = BytesIO()
    Image.fromarray(white).save(out, "PNG")
    taking_in.set_plate_art(shop, wall, "white", out.getvalue(), "wall white.png")
    whole = white_of(shop, wall)
    assert whole.bounds == pytest.approx((100, 50, 350, 150), abs=0.1)
    change(shop, wall, media_mm=220.0, overlap_mm=10.0)
    of_number = made(shop, wall)
    assert len(of_number) == 3
    # printed are 0 to 210, 190 to 410 and 390 to 600 mm
    assert white_of(shop, of_number[1]).bounds == pytest.approx((100, 50, 210, 150), abs=0.1)
    assert white_of(shop, of_number[2]).bounds == pytest.approx((0, 50, 160, 150), abs=0.1)
    assert document(shop, of_number[3]).white_art_id is None and white_of(shop, of_number[3]).is_empty
    together = union_all([white_of(shop, of_number[1]), translate(white_of(shop, of_number[2]), 190, 0)])
    assert together.symmetric_difference(whole).area < 0.001 * whole.length  # a micrometre along its edge
    # another white file: its tiles are made anew, each in the design that it was
    white[50:150, 100:600] = (0, 0, 0, 255)
    out = BytesIO()
    Image.fromarray(white).save(out, "PNG")
    taking_in.set_plate_art(shop, wall, "white", out.getvalue(), "wall white, more of it.png")
    assert not shown(shop, wall).fresh and made(shop, wall) == of_number
    assert document(shop, of_number[3]).white_art_id is not None and shown(shop, wall).fresh
