"""Label webs over the API: begun from designs, edited with undo, made into files that are read by programs nobody here
wrote; and what is refused."""

import subprocess
from collections.abc import Iterator
from decimal import Decimal
from io import BytesIO
from typing import Any

import httpx
import numpy as np
import pikepdf
import pypdfium2 as pdfium
import pytest
import zxingcpp
from PIL import Image, ImageDraw
from sqlalchemy import update

from etiquette.core.errors import JobError
from etiquette.stations import finished, line_finding, whole
from etiquette.stations.lines import taking_in
from etiquette.stations.run import tasks
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Job, Printer, PrintMode, Stock
from tests.outside.test_web_pairs import paths
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, fill_shelf
from tests.vector_art import label_pdf


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    shop.database.within(fill_shelf)
    with signed_in(shop) as made:
        yield made


def picture(shop: Shop, colour: tuple[int, int, int], width_mm: float = 40.0) -> int:
    """A plain rectangle, twice as wide as high."""
    out = BytesIO()
    Image.new("RGB", (400, 200), colour).save(out, "PNG")
    wanted = {"width_mm": width_mm, "due_count": 100, "ready": True, "follow": "page", "offset_mm": 0.0}
    (design,) = taking_in.take_in(shop, out.getvalue(), "plain.png", None, wanted)
    return design


def begun(client: httpx.Client, *designs: int) -> dict[str, Any]:
    answer = client.post("/api/webs", json={"designs": list(designs)})
    assert answer.status_code == 200, answer.text
    return dict(answer.json())


def change(client: httpx.Client, web: dict[str, Any], **changes: Any) -> dict[str, Any]:
    asked = {"revision": web["revision"], "words": "as asked", "changes": changes}
    answer = client.post(f"/api/webs/{web['id']}/edits", json=asked)
    assert answer.status_code == 200, answer.text
    return dict(answer.json())


def made(shop: Shop, client: httpx.Client, web: dict[str, Any]) -> dict[str, bytes]:
    do(shop, tasks.make_web_files.work, web_id=web["id"])
    parts = client.get(f"/api/webs/{web['id']}").json()["parts"]
    return {part["name"]: client.get(f"/api/webs/{web['id']}/files/{part['name']}").content for part in parts}


def test_a_web_begins_with_its_labels_beside_each_other(shop: Shop, client: httpx.Client) -> None:
    red, blue = picture(shop, (200, 30, 30)), picture(shop, (30, 30, 200))
    web = begun(client, red, blue)
    assert web["document"]["columns"] == 2 and web["sums"]["labels"] == 2 and web["problems"] == []
    assert [one["design_id"] for one in web["labels"]] == [red, blue]
    assert web["making"]["repeats"] == 100  # a hundred of each
    assert client.get("/api/webs").json() == [{"id": web["id"], "name": "Plain"}]
    assert any(one["path"] == f"/run/web/{web['id']}" for one in client.get("/api/find?text=plain").json())


def test_edits_have_undo_and_whoever_missed_one_is_told(shop: Shop, client: httpx.Client) -> None:
    web = begun(client, picture(shop, (200, 30, 30)))
    three = change(client, web, columns=3, gap_across_mm=5)
    assert three["sums"]["labels"] == 3 and three["undo"] == "as asked"
    late = {"revision": web["revision"], "words": "late", "changes": {"rows": 9}}
    assert client.post(f"/api/webs/{web['id']}/edits", json=late).status_code == 409
    back = client.post(f"/api/webs/{web['id']}/undo", json={"revision": three["revision"]}).json()
    assert back["document"] == web["document"] and back["redo"] == "as asked"


def test_a_stock_brings_its_width_and_its_price(shop: Shop, client: httpx.Client) -> None:
    web = begun(client, picture(shop, (200, 30, 30)))
    assert web["making"]["stock_cost"] is None
    on_stock = change(client, web, stock_id=1)
    stock = shop.database.within(lambda session: session.get_one(Stock, 1))
    assert on_stock["document"]["width_mm"] == stock.width_mm
    m2 = on_stock["making"]["length_mm"] * stock.width_mm / 1e6
    assert on_stock["making"]["stock_cost"] == pytest.approx(m2 * float(stock.price_m2), abs=0.01)
    typed = change(client, on_stock, width_mm=150)
    assert typed["document"]["stock_id"] is None and typed["making"]["stock_cost"] is None


def test_colour_is_carried_outward_where_art_ends_before_the_bleed(shop: Shop, client: httpx.Client) -> None:
    """Art as large as its label, 2 mm of bleed: 200 dots an inch of the print are red up to the bleed, white past it;
    the mark is where its rule says, and the files are those of the web as it is."""
    web = begun(client, picture(shop, (200, 30, 30)))
    rules = {"width_mm": [4, 4], "height_mm": [3, 3], "left_mm": [6, 6], "bottom_mm": [0, 0]}
    web = change(client, web, width_mm=100, repeat_mm=40, bleed_mm=2, mark={"rules": rules})
    assert "carried outward" in web["designs"][0]["short"]
    files = made(shop, client, web)
    assert sorted(files) == ["cut.dxf", "cut.pdf", "print.pdf"]
    shown = np.asarray(pdfium.PdfDocument(files["print.pdf"])[0].render(scale=200 / 72).to_pil().convert("RGB"))
    red = (shown[..., 0].astype(int) - shown[..., 1] > 100).nonzero()
    dot = 25.4 / 200
    wide, high = (np.ptp(red[axis]) * dot for axis in (1, 0))
    assert (wide, high) == pytest.approx((44.0, 24.0), abs=2 * dot)
    (mark,) = [box for fill, _, _, box in paths(files["cut.pdf"]) if fill]
    assert mark == pytest.approx([6, 0, 10, 3], abs=0.01)
    shown_now = client.get(f"/api/webs/{web['id']}").json()
    assert shown_now["fresh"] and not change(client, shown_now, gap_along_mm=9)["fresh"]


def test_art_that_reaches_is_printed_as_it_came_and_vector_art_stays_vectors(shop: Shop, client: httpx.Client) -> None:
    (label,) = taking_in.take_in(shop, label_pdf(), "label.pdf", None, {"width_mm": 60.0, "ready": True})
    web = begun(client, label)
    inner = {"width_mm": 50, "height_mm": web["document"]["label"]["height_mm"] - 10, "corner_mm": 2}
    web = change(client, web, label=inner, bleed_mm=1)
    assert web["designs"][0]["short"] == ""
    printed, sent = (
        [one.type for one in pdfium.PdfDocument(content)[0].get_objects(max_depth=9)]
        for content in (made(shop, client, web)["print.pdf"], label_pdf())
    )
    pictures, drawn = 3, 2  # FPDF_PAGEOBJ_IMAGE, FPDF_PAGEOBJ_PATH
    assert printed.count(pictures) == sent.count(pictures) and printed.count(drawn) > 1


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"gap_along_mm": 1, "bleed_mm": 2, "rows": 2}, "overlap by 3.00 mm"),
        ({"mark": {"rules": {"width_mm": [3], "height_mm": [3], "left_mm": [90, 90]}}, "width_mm": 100}, "lies on art"),
    ],
)
def test_what_is_wrong_with_it_is_said_and_no_file_is_made(
    shop: Shop, client: httpx.Client, changes: dict[str, Any], said: str
) -> None:
    web = begun(client, picture(shop, (200, 30, 30), 90.0))
    if "mark" in changes:
        changes = {**changes, "from_left_mm": 5}
    change(client, web, **changes)
    with pytest.raises(JobError, match=said):
        do(shop, tasks.make_web_files.work, web_id=web["id"])
    assert client.get(f"/api/webs/{web['id']}").json()["parts"] == []


@pytest.mark.parametrize(
    "changes",
    [{"columns": 0}, {"width_mm": 1e9}, {"unwinding": 9}, {"designs": []}, {"stranger": 1}, {"label": {"width_mm": 5}}],
)
def test_values_that_mean_nothing_are_refused(shop: Shop, client: httpx.Client, changes: dict[str, Any]) -> None:
    web = begun(client, picture(shop, (200, 30, 30)))
    asked = {"revision": web["revision"], "words": "odd", "changes": changes}
    assert client.post(f"/api/webs/{web['id']}/edits", json=asked).status_code == 422
    assert client.get(f"/api/webs/{web['id']}").json()["revision"] == web["revision"]


def test_no_web_of_what_is_not_there(shop: Shop, client: httpx.Client) -> None:
    assert client.post("/api/webs", json={"designs": [99]}).status_code == 404
    assert client.get("/api/webs/99").status_code == 404
    web = begun(client, picture(shop, (200, 30, 30)))
    assert client.get(f"/api/webs/{web['id']}/files/print.pdf").status_code == 404
    asked = {"revision": web["revision"], "words": "other art", "changes": {"designs": [99]}}
    assert client.post(f"/api/webs/{web['id']}/edits", json=asked).status_code == 404


def test_the_art_of_a_web_is_neither_deleted_nor_cleared(shop: Shop, client: httpx.Client) -> None:
    design = picture(shop, (200, 30, 30))
    begun(client, design)
    job = shop.database.within(lambda session: session.get_one(Design, design).job_id)
    for kind, number in (("design", design), ("job", job)):
        with pytest.raises(JobError, match="The label web Plain is made of"):
            shop.database.within(lambda session, k=kind, n=number: whole.take_away(session, k, n))  # type: ignore[misc]
    shop.database.within(lambda session: session.execute(update(Job).values(closed_at="2020-01-01")))
    shop.database.within(lambda session: finished.choose(session, finished.Choice("cleared", 1)))
    assert finished.sweep(shop) == finished.Gone()


def test_rules_of_finishers_are_kept_under_the_shops_own_names(client: httpx.Client) -> None:
    rules = {"width_mm": [2, 4], "height_mm": [2], "left_mm": [5, 10], "longest_repeat_mm": 349}
    kept = client.post("/api/webs/finishers", json={"name": " Finisher west ", "rules": rules}).json()
    assert [one["name"] for one in kept] == ["Finisher west"] and kept[0]["rules"]["height_mm"] == [2.0]
    again = client.post("/api/webs/finishers", json={"name": "Finisher west", "rules": {**rules, "height_mm": [3, 3]}})
    assert [one["rules"]["height_mm"] for one in again.json()] == [[3.0, 3.0]]  # the same name, other rules
    assert client.post("/api/webs/finishers", json={"name": "x", "rules": {"width_mm": [2]}}).status_code == 422
    falling = {"name": "x", "rules": {**rules, "width_mm": [4, 2]}}
    assert client.post("/api/webs/finishers", json=falling).status_code == 422
    (on_shelf,) = client.get("/api/shelf").json()["finisher"]
    away = {"version": on_shelf["version"], "changes": {"away": True}}
    assert client.post(f"/api/shelf/finisher/{on_shelf['id']}", json=away).status_code == 200
    assert client.get("/api/webs/finishers").json() == []  # put away on the Shelf, not offered


def test_a_cylinder_says_the_repeat_and_its_plate_gets_a_drawing(shop: Shop, client: httpx.Client) -> None:
    web = begun(client, picture(shop, (200, 30, 30)))
    web = change(client, web, repeat_mm=50, cylinder={"teeth": 60, "pitch_mm": 4, "around": 2, "plate_mm": 0.4})
    assert web["sums"]["repeat_mm"] == 120 and web["document"]["repeat_mm"] == 50
    assert "plate.dxf" in made(shop, client, web)
    assert change(client, client.get(f"/api/webs/{web['id']}").json(), cylinder=None)["sums"]["repeat_mm"] == 50


def test_a_die_is_taken_from_its_drawing_and_used_for_a_web(shop: Shop, client: httpx.Client) -> None:
    """The cut file of a web is a drawing of its die: taken in, another web becomes the same."""
    web = begun(client, picture(shop, (200, 30, 30)))
    web = change(client, web, columns=2, rows=3, gap_across_mm=5, gap_along_mm=4, repeat_mm=90)
    drawing = made(shop, client, web)["cut.dxf"]
    (die,) = client.post("/api/webs/dies", files={"file": ("Two by three.dxf", drawing)}).json()
    assert die["name"] == "Two by three" and (die["figures"]["columns"], die["figures"]["rows"]) == (2, 3)
    other = change(client, begun(client, picture(shop, (30, 30, 200))), **die["figures"])
    assert other["document"]["label"] == web["document"]["label"] and other["document"]["gap_across_mm"] == 5
    refused = client.post("/api/webs/dies", files={"file": ("die.png", b"\x89PNG no")})
    assert refused.status_code == 422 and len(client.get("/api/webs/dies").json()) == 1
    assert client.delete(f"/api/shelf/die/{die['id']}").status_code == 200
    assert client.get("/api/webs/dies").json() == []


def read_pages(pdf: bytes) -> list[list[str]]:
    """The codes of every page as another program (zxing-cpp) reads them, from the edge that is printed first and from
    left to right."""
    document = pdfium.PdfDocument(pdf)
    pages = []
    for page in document:
        seen = page.render(scale=300 / 72).to_pil().convert("L")
        found = zxingcpp.read_barcodes(np.asarray(seen), formats=zxingcpp.BarcodeFormat.DataMatrix)
        placed = sorted((-round(one.position.top_left.y / 60), one.position.top_left.x, one.text) for one in found)
        pages.append([words for _, _, words in placed])
    document.close()
    return pages


@pytest.mark.parametrize(
    ("rolls", "rows_from", "expected"),
    [
        ({"slit": True}, "head", [["1", "6", "2", "7"], ["3", "8", "4", "9"], ["5", "10"]]),
        ({"slit": False}, "head", [["1", "2", "3", "4"], ["5", "6", "7", "8"], ["9", "10"]]),
        ({"slit": True}, "tail", [["5", "10", "4", "9"], ["3", "8", "2", "7"], ["1", "6"]]),
        # rolls of three: 1–3 and 4–6 beside each other, behind them 7–9 and 10
        ({"slit": True, "per_roll": 3}, "head", [["1", "4", "2", "5"], ["3", "6"], ["7", "10", "8"], ["9"]]),
    ],
)
def test_labels_are_filled_from_rows_that_follow_each_other_on_each_roll(
    shop: Shop, client: httpx.Client, rolls: dict[str, Any], rows_from: str, expected: list[list[str]]
) -> None:
    design = picture(shop, (236, 230, 214))
    shown = client.get(f"/api/designs/{design}").json()
    code = {"what": "code", "name": "Code", "says": "{Row}", "x_mm": 12, "y_mm": 2, "width_mm": 16, "height_mm": 16}
    changes = {"rows": {"fields": [code]}, "due_count": 10}
    asked = {"revision": shown["revision"], "words": "rows", "changes": changes}
    assert client.post(f"/api/designs/{design}/edits", json=asked).status_code == 200
    web = begun(client, design)
    web = change(
        client, web, columns=2, rows=2, gap_across_mm=6.0, gap_along_mm=6.0, rows_from=rows_from,
        rolls={**web["document"]["rolls"], **rolls},
    )  # fmt: skip
    assert web["filled"] == 10
    files = made(shop, client, web)
    assert read_pages(files["print.pdf"]) == expected
    assert client.get(f"/api/webs/{web['id']}").json()["making"]["repeats"] == len(expected)
    assert pdfium.PdfDocument(files["cut.pdf"])  # one repeat, as ever


def test_labels_that_were_spoiled_are_made_again_with_what_was_on_them(shop: Shop, client: httpx.Client) -> None:
    design = picture(shop, (236, 230, 214))
    shown = client.get(f"/api/designs/{design}").json()
    code = {"what": "code", "name": "Code", "says": "{Row}", "x_mm": 12, "y_mm": 2, "width_mm": 16, "height_mm": 16}
    changes = {"rows": {"fields": [code], "left_out": [5]}, "due_count": 10}
    asked = {"revision": shown["revision"], "words": "rows", "changes": changes}
    assert client.post(f"/api/designs/{design}/edits", json=asked).status_code == 200
    web = change(client, begun(client, design), only_rows="3, 5-6,10")
    assert web["filled"] == 3  # the fifth is left out
    assert read_pages(made(shop, client, web)["print.pdf"]) == [["3"], ["6"], ["10"]]
    gone = change(client, client.get(f"/api/webs/{web['id']}").json(), only_rows="12")
    assert [one["what"] for one in gone["problems"]] == ["There are rows 1 to 10; 12 was asked for."]
    revision = {"revision": gone["revision"], "words": "rows", "changes": {"only_rows": "all but 3"}}
    assert client.post(f"/api/webs/{web['id']}/edits", json=revision).status_code == 422


def test_a_web_is_not_made_while_a_row_is_wrong(shop: Shop, client: httpx.Client) -> None:
    design = picture(shop, (236, 230, 214))
    shown = client.get(f"/api/designs/{design}").json()
    text = {"what": "text", "name": "No", "says": "{'x' * 1 if Row == 3 else Row}", "width_mm": 20, "height_mm": 6}
    asked = {"revision": shown["revision"], "words": "rows", "changes": {"rows": {"fields": [text]}, "due_count": 4}}
    assert client.post(f"/api/designs/{design}/edits", json=asked).status_code == 200
    with pytest.raises(JobError, match=r"^Row 3, No: “x” is not a number"):
        made(shop, client, begun(client, design))


def test_ink_is_told_of_the_files_that_were_made(shop: Shop, client: httpx.Client) -> None:
    """A label of 40 × 20 mm in full black ink (PDF, 0 0 0 1 k), 100 of them: 0.08 m² of black, 12 ml on a full square
    metre: 0.96 ml."""
    wanted = {"width_mm": 40.0, "due_count": 100, "follow": "page"}
    (design,) = taking_in.take_in(shop, _black_page(), "black.pdf", None, wanted)

    def mode(session: Any) -> int:
        session.get_one(Printer, 1).ink_price_ml = Decimal("0.5")
        made = PrintMode(
            name="Fast", stock_id=1, printer_id=1, dpi=300.0, passes=4, two_way=True, m2_per_hour=20.0, ink_ml_m2=12.0,
            drying_minutes=0.0,
        )  # fmt: skip
        session.add(made)
        session.flush()
        return made.id

    number = shop.database.within(mode)
    web = begun(client, design)
    assert web["making"]["ink_ml"] is None
    web = change(client, web, stock_id=1)
    web = change(client, web, print_mode_id=number)
    made(shop, client, web)
    told = client.get(f"/api/webs/{web['id']}").json()["making"]
    assert told["ink_ml"] == pytest.approx(0.96, rel=0.03)
    assert told["ink_cost"] == pytest.approx(0.48, abs=0.02)


def _black_page() -> bytes:
    """A PDF whose page of 40 × 20 mm is full black."""
    out = BytesIO()
    with pikepdf.new() as pdf:
        size = [0, 0, 40 / 25.4 * 72, 20 / 25.4 * 72]
        drawn = pdf.make_stream(f"0 0 0 1 k 0 0 {size[2]:.4f} {size[3]:.4f} re f".encode())
        page = pikepdf.Dictionary(Type=pikepdf.Name.Page, MediaBox=size, Contents=drawn, Resources=pikepdf.Dictionary())
        pdf.pages.append(pikepdf.Page(pdf.make_indirect(page)))
        pdf.save(out)
    return out.getvalue()


def test_a_special_ink_is_printed_on_every_label_and_two_sides_are_refused(shop: Shop, client: httpx.Client) -> None:
    ink = client.post("/api/shelf/special_ink", json={"name": "Tinsel"}).json()["id"]
    design = picture(shop, (20, 90, 160))

    def asked(**changes: Any) -> None:
        now = client.get(f"/api/designs/{design}").json()["revision"]
        body = {"revision": now, "words": "an ink", "changes": changes}
        client.post(f"/api/designs/{design}/edits", json=body).raise_for_status()

    asked(specials=[{"ink": ink, "extent": "area", "choke_mm": 0.0, "area": [5.0, 5.0, 20.0, 6.0]}])
    web = begun(client, design)
    parts = made(shop, client, web)
    labels = web["document"]["columns"] * web["document"]["rows"]
    with pikepdf.open(BytesIO(parts["tinsel.pdf"])) as pdf:
        spaces = [str(one) for one in pdf.objects if isinstance(one, pikepdf.Array) and "/Separation" in str(one[0])]
        assert any("/Tinsel" in one for one in spaces)
    page = pdfium.PdfDocument(parts["tinsel.pdf"])[0]
    inked = np.asarray(page.render(scale=300 / 72).to_pil().convert("L")) < 250
    assert inked.sum() * (25.4 / 300) ** 2 == pytest.approx(labels * 20 * 6, rel=0.02)
    asked(both_sides={"other": None})
    with pytest.raises(JobError, match="seen from both sides"):
        do(shop, tasks.make_web_files.work, web_id=web["id"])


def badge(shop: Shop) -> int:
    """A blue disc of 20 mm, not in the middle of its white picture of 40 × 30 mm."""
    out = BytesIO()
    art = Image.new("RGB", (400, 300), "white")
    ImageDraw.Draw(art).ellipse((20, 80, 220, 280), fill=(30, 60, 160))
    art.save(out, "PNG")
    wanted = {"width_mm": 40.0, "due_count": 10, "offset_mm": 0.0}
    (design,) = taking_in.take_in(shop, out.getvalue(), "badge.png", None, wanted)
    return design


def test_a_web_is_cut_as_the_line_of_its_art_goes(shop: Shop, client: httpx.Client) -> None:
    """The disc is left of the middle and below it; its web is round, and what is printed inside the cut is blue."""
    design = badge(shop)
    before = begun(client, design)
    assert before["document"]["label"]["width_mm"] == 40.0  # no line yet: as large as the art
    late = {"revision": before["revision"], "design_id": design}
    refused = client.put(f"/api/webs/{before['id']}/shape", json=late)
    assert refused.status_code == 422 and "no line that goes round all of it" in refused.json()["title"]
    do(shop, line_finding.find_lines, design_id=design)
    web = begun(client, design)
    label = web["document"]["label"]
    assert (label["width_mm"], label["height_mm"]) == pytest.approx((20.1, 20.1), abs=0.15)
    assert label["corner_mm"] == pytest.approx(10.0, abs=0.15) and label["shape"] == []
    assert web["designs"][0]["middle_mm"] == pytest.approx([12.0, 12.0], abs=0.15)
    assert inked_mm2(made(shop, client, web)["print.pdf"]) == pytest.approx(np.pi * 10.05**2, rel=0.02)
    taken = client.put(f"/api/webs/{before['id']}/shape", json=late).json()
    assert taken["document"]["label"] == label and taken["undo"] == "the shape of Badge"
    bled = change(client, web, bleed_mm=1.0, gap_along_mm=4.0)
    assert bled["designs"][0]["short"] == ""
    assert inked_mm2(made(shop, client, bled)["print.pdf"]) == pytest.approx(np.pi * 11.05**2, rel=0.02)
    in_lines = {"revision": client.get(f"/api/designs/{design}").json()["revision"], "words": "bleed"}
    client.post(f"/api/designs/{design}/edits", json={**in_lines, "changes": {"bleed_mm": 0.5}}).raise_for_status()
    # half a millimetre, and up to two pixels: within the bleed of the plate a picture is a pixel too large
    assert np.pi * 10.5**2 < inked_mm2(made(shop, client, bled)["print.pdf"]) < np.pi * 10.8**2
    assert "type 1.0 mm in Lines" in client.get(f"/api/webs/{web['id']}").json()["designs"][0]["short"]
    border = {"offset_mm": 1.5, "bleed_mm": 0.0}  # an unprinted border, which nothing is carried into
    in_lines["revision"] += 1
    client.post(f"/api/designs/{design}/edits", json={**in_lines, "changes": border}).raise_for_status()
    do(shop, line_finding.find_lines, design_id=design)
    bordered = change(client, begun(client, design), bleed_mm=1.0)
    assert bordered["document"]["label"]["width_mm"] == pytest.approx(23.1, abs=0.15)
    assert bordered["designs"][0]["short"] == ""
    assert inked_mm2(made(shop, client, bordered)["print.pdf"]) == pytest.approx(np.pi * 10.05**2, rel=0.02)


def inked_mm2(plate: bytes) -> float:
    """What PDFium shows as printed, of a page."""
    shown = pdfium.PdfDocument(plate)[0].render(scale=200 / 72).to_pil().convert("L")
    return float((np.asarray(shown) < 200).sum() * (25.4 / 200) ** 2)


def test_a_die_of_any_shape_is_kept_and_taken(shop: Shop, client: httpx.Client) -> None:
    """Six arches drawn as an SVG, made a PDF by librsvg: their shape is kept, and shown on the Shelf and in a web."""
    drop = "M0 20C0 5 10 0 25 0C40 0 50 5 50 20V34H0Z"
    places = [(5 + 54 * column, 4 + 38 * row) for column in range(3) for row in range(2)]
    paths = "".join(f'<path transform="translate({x} {y})" d="{drop}"/>' for x, y in places)
    svg = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="170mm" height="80mm" viewBox="0 0 170 80">'
        f'<g fill="none" stroke="#f0f" stroke-width="0.1">{paths}</g></svg>'
    )
    pdf = subprocess.run(["rsvg-convert", "-f", "pdf"], input=svg.encode(), capture_output=True, check=True).stdout
    (die,) = client.post("/api/webs/dies", files={"file": ("arch.pdf", pdf)}).raise_for_status().json()
    figures = die["figures"]
    assert (figures["columns"], figures["rows"]) == (3, 2)
    assert (figures["label"]["width_mm"], figures["label"]["height_mm"]) == pytest.approx((50, 34), abs=0.01)
    assert len(figures["label"]["shape"]) > 20
    (on_shelf,) = client.get("/api/shelf").json()["die"]
    assert on_shelf["shape"] == figures["label"]["shape"]
    web = change(client, begun(client, picture(shop, (30, 60, 160), 80.0)), **figures)
    assert len(web["labels"]) == 6 and web["problems"] == []
    area = figures_area(web["cut"])
    assert area < 0.97 * 50 * 34 and area == pytest.approx(figures_area(figures["label"]["shape"]) * 50 * 34, rel=2e-3)
    assert sorted(made(shop, client, web)) == ["cut.dxf", "cut.pdf", "print.pdf"]
    cut = change(client, web, cut={"corner_mm": 2.0})
    assert "no corners to be made round" in cut["problems"][0]["what"]
    many = svg.replace(paths, "".join(f'<rect x="{n * 0.8}" y="1" width="0.5" height="0.5"/>' for n in range(200)))
    refused = client.post("/api/webs/dies", files={"file": ("many.svg", many.encode())})
    assert refused.status_code == 422 and refused.json()["title"] == "No label was found in the drawing."
    wide = svg.replace("170", "170000").replace("80", "80000").replace(paths, '<path d="M0 0H9000V9000H0Z"/>')
    refused = client.post("/api/webs/dies", files={"file": ("wide.svg", wide.encode())})
    assert refused.status_code == 422
    assert [one["name"] for one in client.get("/api/webs/dies").json()] == ["arch"]


def figures_area(ring: list[list[float]]) -> float:
    x, y = np.array(ring).T
    return float(abs(x @ np.roll(y, -1) - np.roll(x, -1) @ y) / 2)
