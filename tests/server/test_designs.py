"""Designs over HTTP: pages, newer art, versions, line rules, pictures that a browser may keep."""

from collections.abc import Callable, Iterator
from io import BytesIO

import httpx
import pikepdf
import pytest
from PIL import Image

from etiquette.demo.art import art_file
from etiquette.sandbox.art import ArtRead, read_art
from etiquette.stations.lines import taking_in
from etiquette.stations.shop import Shop
from etiquette.tasks.work import Worker
from tests.signed_in import signed_in
from tests.vector_art import SLEEVE_SVG, box_dxf, label_pdf, steps_pdf


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:

    with signed_in(shop) as made:
        yield made


def taken(client: httpx.Client, name: str, content: bytes) -> list[int]:
    answer = client.post("/api/designs", files={"file": (name, content)})
    assert answer.status_code == 200, answer.json()
    ids: list[int] = answer.json()["ids"]
    return ids


def found(client: httpx.Client, shop: Shop, design: int) -> dict:  # type: ignore[type-arg]
    client.put(f"/api/designs/{design}/lines")
    Worker(shop.database, shop).run_one()
    shown: dict = client.get(f"/api/designs/{design}").json()  # type: ignore[type-arg]
    return shown


def test_a_vector_design_is_shown_with_what_the_rules_caught(client: httpx.Client, shop: Shop) -> None:
    (design,) = taken(client, "label.pdf", label_pdf())
    before = client.get(f"/api/designs/{design}").json()
    assert before["form"] == "pdf" and before["lines"] is None and before["dpi"] is None
    assert (before["natural_width_mm"], before["natural_height_mm"]) == pytest.approx((60, 40))
    shown = found(client, shop, design)
    assert [line["kind"] for line in shown["lines"]] == ["kiss", "through"]
    assert shown["lines"][0]["length_mm"] == pytest.approx(2 * 3.14159 * 17, rel=1e-3)
    assert shown["summary"]["caught"]["caught"] == {"kiss": 1, "through": 1}
    art, printed = (client.get(f"/api/designs/{design}/{what}").content for what in ("picture", "print"))
    assert art.startswith(b"\x89PNG") and printed.startswith(b"\x89PNG") and art != printed
    for what in ("picture", "thumb", "print"):
        assert "private" in client.get(f"/api/designs/{design}/{what}").headers["cache-control"]


@pytest.mark.parametrize(("units", "known"), [(4, True), (0, False)])
def test_a_size_that_is_not_in_the_file_is_not_told_as_if_it_were(
    client: httpx.Client, units: int, known: bool
) -> None:
    (design,) = taken(client, "box.dxf", box_dxf(units=units))
    shown = client.get(f"/api/designs/{design}").json()
    assert shown["size_known"] is known and (shown["document"]["width_mm"] is not None) is known


def test_pages_of_a_pdf_become_designs_of_one_job(client: httpx.Client) -> None:
    with pikepdf.open(BytesIO(label_pdf())) as pdf:
        pdf.pages.append(pdf.pages[0])
        pdf.pages.append(pdf.pages[0])
        out = BytesIO()
        pdf.save(out)
    ids = taken(client, "three-pages.pdf", out.getvalue())
    listed = {design["id"]: design for design in client.get("/api/designs").json()}
    assert [listed[one]["name"] for one in ids] == [f"Three pages, page {n}" for n in (1, 2, 3)]
    assert {client.get(f"/api/designs/{one}").json()["job"] for one in ids} == {"Three pages"}


def test_a_page_that_takes_art_in_has_its_lines_looked_for_at_once(client: httpx.Client, shop: Shop) -> None:
    name, content = art_file("spark")
    made = client.post("/api/designs", files={"file": (name, content)}, data={"find": "true"}).json()
    assert client.get(f"/api/tasks/{made['finding']}").json()["state"] == "waiting"
    Worker(shop.database, shop).run_one()
    assert client.get(f"/api/designs/{made['ids'][0]}").json()["lines"]
    assert client.get(f"/api/tasks/{made['finding']}").json()["result"]["found"] == "lines"


def test_what_has_no_size_waits_for_one_before_its_lines_are_looked_for(client: httpx.Client) -> None:
    Image.new("RGB", (40, 30), "red").save(out := BytesIO(), "PNG")  # without a word of how large a pixel is
    made = client.post("/api/designs", files={"file": ("red.png", out.getvalue())}, data={"find": "true"}).json()
    assert client.get(f"/api/designs/{made['ids'][0]}").json()["document"]["width_mm"] is None
    assert made["finding"] is None
    assert client.post("/api/designs", files={"file": art_file("spark")}).json()["finding"] is None  # nobody asked


def test_while_a_document_is_read_its_page_is_told(client: httpx.Client, monkeypatch: pytest.MonkeyPatch) -> None:
    """Asked for in the middle, as a page does; nothing of it is left when the reading is over."""
    key, told = "20261128-4711", []

    def slowly(content: bytes, name: str, reached: Callable[[int, int], None]) -> list[ArtRead]:
        told.append(client.get(f"/api/designs/taking/{key}").json())
        reached(3, 9)
        told.append(client.get(f"/api/designs/taking/{key}").json())
        return read_art(content, name)

    monkeypatch.setattr(taking_in, "read_art", slowly)
    answer = client.post("/api/designs", files={"file": ("three.pdf", label_pdf())}, data={"key": key})
    assert answer.status_code == 200
    assert told == [{"name": "three.pdf", "page": 0, "pages": 0}, {"name": "three.pdf", "page": 3, "pages": 9}]
    assert client.get(f"/api/designs/taking/{key}").json() == {"name": "", "page": 0, "pages": 0}
    assert client.get("/api/designs/taking/..%2F..").status_code in (404, 422)


def test_a_long_document_says_how_far_it_is_read() -> None:
    with pikepdf.open(BytesIO(label_pdf())) as pdf:
        for _ in range(24):
            pdf.pages.append(pdf.pages[0])
        pdf.save(out := BytesIO())
    told: list[tuple[int, int]] = []
    assert len(read_art(out.getvalue(), "long.pdf", lambda *reached: told.append(reached))) == 25
    assert told == sorted(told) and told[-1] == (25, 25)


def test_newer_art_and_versions(client: httpx.Client, shop: Shop) -> None:
    (design,) = taken(client, "label.pdf", label_pdf())
    client.post(f"/api/designs/{design}/edits", json={"revision": 1, "words": "pieces", "changes": {"due_count": 60}})
    answer = client.put(f"/api/designs/{design}/art", files={"file": ("label-2.pdf", steps_pdf())})
    assert answer.status_code == 200
    assert answer.json()["file_name"] == "label-2.pdf" and answer.json()["document"]["due_count"] == 60
    refused = client.put(f"/api/designs/{design}/art", files={"file": ("label-3.pdf", b"%PDF-1.4")})
    assert refused.status_code == 422 and client.get(f"/api/designs/{design}").json()["file_name"] == "label-2.pdf"
    versions = client.get(f"/api/designs/{design}/versions").json()
    assert [one["words"] for one in versions] == ["newer art: label-2.pdf", "pieces", "as taken in"]
    back = client.post(f"/api/designs/{design}/versions", json={"revision": 3, "version": versions[1]["id"]})
    assert back.json()["file_name"] == "label.pdf" and back.json()["document"]["due_count"] == 60
    stale = client.post(f"/api/designs/{design}/versions", json={"revision": 3, "version": 0})
    assert stale.status_code == 409 and stale.json()["revision"] == 4


def test_the_art_of_another_design_cannot_be_named_by_a_number_that_is_not_there(client: httpx.Client) -> None:
    (design,) = taken(client, *art_file("spark"))
    edit = {"revision": 1, "words": "art", "changes": {"art_id": 4711}}
    answer = client.post(f"/api/designs/{design}/edits", json=edit)
    assert answer.status_code == 422 and "no such art" in answer.json()["title"]


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"more": [{"kind": "laser"}]}, "Kind"),
        ({"more": [{"kind": "kiss", "offset_mm": 1e9}]}, "cannot be more"),
        ({"more": [{}] * 13}, "12"),
        ({"area": [0, 0, 0, 5]}, "too small"),
        ({"area": [1, 2, 3]}, ""),
        ({"bleed_mm": -1}, "cannot be less"),
        ({"ground": "#12"}, ""),
        ({"line_edits": [{"line": -1}]}, "cannot be less"),
        ({"nothing_like_it": 1}, ""),
    ],
)
def test_settings_that_make_no_sense_are_refused(client: httpx.Client, changes: dict[str, object], words: str) -> None:
    (design,) = taken(client, *art_file("spark"))
    answer = client.post(f"/api/designs/{design}/edits", json={"revision": 1, "words": "x", "changes": changes})
    assert answer.status_code == 422 and words in answer.json()["title"], answer.json()
    assert client.get(f"/api/designs/{design}").json()["revision"] == 1


def test_line_rules_are_read_tried_kept_and_exported(client: httpx.Client, shop: Shop) -> None:
    (design,) = taken(client, "sleeve.svg", SLEEVE_SVG)
    shown = client.get("/api/rules").json()
    assert shown["version"] == 0 and len(shown["rules"]) >= 6
    rule = {"kind": "perforation", "by": "colour", "values": ["#FF00FF"]}
    mine = {"rules": [rule], "names": {"crease": "Rille 2"}, "numbered": ["colour", "white"]}
    tried = client.post(f"/api/rules/try/{design}", json=mine).json()
    assert tried["caught"] == {"perforation": 2} and "Kiss_cut" in tried["names"]
    assert client.get("/api/rules").json() == shown
    kept = client.put("/api/rules", json={"version": 0, **mine})
    assert kept.status_code == 200 and kept.json()["version"] == 1
    assert client.put("/api/rules", json={"version": 0, **mine}).status_code == 409
    file = client.get("/api/rules/file")
    assert file.json() == mine and "RULES.json" in file.headers["content-disposition"]
    assert [line["kind"] for line in found(client, shop, design)["lines"]] == ["perforation", "perforation"]
    for broken in (
        [{"kind": "kiss", "by": "width", "values": ["thin"]}],
        [{"kind": "kiss", "by": "words", "values": [""]}],
    ):
        answer = client.put("/api/rules", json={"version": 1, "rules": broken})
        assert answer.status_code == 422 and answer.json()["title"].endswith(".")


def test_a_line_that_cannot_be_found_says_so_on_its_task(client: httpx.Client, shop: Shop) -> None:
    (design,) = taken(client, *art_file("spark"))
    client.post(f"/api/designs/{design}/edits", json={"revision": 1, "words": "offset", "changes": {"offset_mm": -40}})
    task = client.put(f"/api/designs/{design}/lines").json()["task_id"]
    Worker(shop.database, shop).run_one()
    text = client.get(f"/api/tasks/{task}/events").text
    assert "Nothing is left of the art" in text and client.get(f"/api/designs/{design}").json()["lines"] is None
