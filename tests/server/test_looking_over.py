"""All designs of a job beside each other: which are plain, which ask for eyes, and what one press does to them."""

from collections.abc import Iterator
from io import BytesIO
from typing import Any

import httpx
import pytest
from PIL import Image, ImageDraw
from svgelements import Path

from etiquette.core.errors import JobError
from etiquette.stations.lines import looking_over
from etiquette.stations.schemas import OfJob
from etiquette.stations.shop import Shop
from etiquette.store.models import Design
from tests.core.test_finishing import bricks
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, fill_shelf


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    shop.database.within(fill_shelf)
    with signed_in(shop) as made:
        yield made


def png(image: Image.Image, dpi: float | None = 254.0) -> bytes:
    """10 px a mm, or of no size that is known."""
    out = BytesIO()
    image.save(out, "PNG", **({"dpi": (dpi, dpi)} if dpi else {}))
    return out.getvalue()


def square() -> Image.Image:
    """40 × 30 mm in the middle of 50 × 40 mm of nothing."""
    image = Image.new("RGBA", (500, 400))
    ImageDraw.Draw(image).rectangle((50, 50, 449, 349), fill=(20, 90, 160, 255))
    return image


def wall() -> Image.Image:
    """Bricks, 60 × 40 mm: a ground that is not plain."""
    return Image.fromarray(bricks(0).pixels)


def taken_in(client: httpx.Client, *pictures: bytes) -> tuple[int, list[int]]:
    made: list[int] = []
    job = None
    for number, content in enumerate(pictures):
        data = {"job_id": str(job)} if job else {}
        answer = client.post("/api/designs", files={"file": (f"Art {number}.png", content)}, data=data).json()
        made, job = [*made, *answer["ids"]], answer["job_id"]
    assert job is not None
    return job, made


def shown(client: httpx.Client, job: int, **query: Any) -> dict[str, Any]:
    return dict(client.get(f"/api/lines/{job}", params=query).json())


def press(client: httpx.Client, job: int, what: str, cards: list[dict[str, Any]], **more: Any) -> dict[str, Any]:
    body = {"designs": [{name: one[name] for name in ("id", "revision", "key")} for one in cards], **more}
    answer = client.post(f"/api/lines/{job}/{what}", json=body)
    assert answer.status_code == 200, answer.text
    return dict(answer.json())


def test_what_is_plain_is_told_from_what_asks_for_eyes(shop: Shop, client: httpx.Client) -> None:
    job, designs = taken_in(client, png(square()), png(wall()), png(square(), None), png(Image.new("RGBA", (80, 80))))
    assert [one["state"] for one in shown(client, job)["cards"]] == ["no line", "no line", "no size", "no line"]
    found = do(shop, looking_over.find_all, job_id=job)
    assert found["made"] == 2 and [one["id"] for one in found["refused"]] == [designs[3]]
    said = shown(client, job)
    assert (said["designs"], said["waiting"], said["more"]) == (4, 4, False)
    assert [one["state"] for one in said["cards"]] == ["plain", "look", "no size", "no line"]
    plain, doubtful = said["cards"][:2]
    assert doubtful["said"][0] == "The edge is doubtful" and "follow" in doubtful["keys"] and doubtful["asks"]
    # 2 mm (a new design's offset) round the square of 40 × 30 mm, which lies within the picture of 50 × 40 mm
    assert plain["box"] == [0, 0, 50, 40]
    (line,) = plain["lines"]
    left, top, right, bottom = Path(line["d"]).bbox()
    assert [left, right, top, bottom] == pytest.approx([3, 47, 3, 37], abs=0.15)
    assert line["kind"] == "kiss"


def test_text_in_a_font_that_is_not_here_asks_for_eyes(shop: Shop, client: httpx.Client) -> None:
    """Its line goes round other letters than those that were meant."""
    words = '<text x="8" y="25" font-size="12" font-family="{}">Plum</text>'
    page = '<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="40mm" viewBox="0 0 50 40">{}</svg>'
    job = None
    for family in ("DejaVu Sans", "Quillfeather"):
        files = {"file": (f"{family}.svg", page.format(words.format(family)).encode())}
        job = client.post("/api/designs", files=files, data={"job_id": str(job)} if job else {}).json()["job_id"]
    assert do(shop, looking_over.find_all, job_id=job)["made"] == 2
    here, lacking = shown(client, job or 0)["cards"]
    assert not any("The font" in said for said in here["said"])
    assert lacking["state"] == "look"
    assert "The font Quillfeather is not in the file, and another one stands in for it" in lacking["said"]


def test_one_press_makes_ready_what_was_seen_and_nothing_else(shop: Shop, client: httpx.Client) -> None:
    job, designs = taken_in(client, *[png(square())] * 4)
    other_job, _ = taken_in(client, png(square()))
    do(shop, looking_over.find_all, job_id=job)
    do(shop, looking_over.find_all, job_id=other_job)
    first, second, third, fourth = shown(client, job)["cards"]
    (elsewhere,) = shown(client, other_job)["cards"]
    # somebody moves the line of the second meanwhile, and the third is taken away
    change = {"revision": second["revision"], "words": "offset", "changes": {"offset_mm": 3.5}}
    client.post(f"/api/designs/{designs[1]}/edits", json=change).raise_for_status()
    client.delete(f"/api/whole/design/{designs[2]}").raise_for_status()
    made = press(client, job, "ready", [elsewhere, fourth, third, second, first])
    assert made == {"made": 2, "others": [second["name"]]}
    documents = {one: client.get(f"/api/designs/{one}").json()["document"] for one in (designs[0], designs[3])}
    assert all(document["ready"] for document in documents.values())
    assert not client.get(f"/api/designs/{designs[1]}").json()["document"]["ready"]
    assert not client.get(f"/api/designs/{elsewhere['id']}").json()["document"]["ready"]
    assert client.get(f"/api/designs/{designs[0]}").json()["undo"] == "ready for a run"
    assert [one["id"] for one in shown(client, job, waiting=True)["cards"]] == [designs[1]]
    # pressed again, it is an edit no more
    again = press(client, job, "ready", [shown(client, job)["cards"][0]])
    assert again == {"made": 1, "others": []}
    assert client.get(f"/api/designs/{designs[0]}").json()["revision"] == first["revision"] + 1


def test_a_line_that_nobody_saw_is_not_made_ready(shop: Shop, client: httpx.Client) -> None:
    """What a customer means by a word makes other lines of the same revision, and they are found before the press."""
    drawing = b"""<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">
    <rect x="5" y="5" width="50" height="30" fill="#286"/>
    <g id="Score"><path d="M30 5 V35" fill="none" stroke="#e0f" stroke-width="0.1"/></g></svg>"""
    answer = client.post("/api/designs", files={"file": ("Card.svg", drawing)}).json()
    job, (design,) = answer["job_id"], answer["ids"]
    do(shop, looking_over.find_all, job_id=job)
    (seen,) = shown(client, job)["cards"]
    meaning = {"word": "score", "means": "crease"}
    client.put(f"/api/designs/{design}/meaning", json=meaning).raise_for_status()
    assert do(shop, looking_over.find_all, job_id=job)["made"] == 1
    assert press(client, job, "ready", [seen]) == {"made": 0, "others": [seen["name"]]}
    (now,) = shown(client, job)["cards"]
    assert now["revision"] == seen["revision"] and "crease" in [line["kind"] for line in now["lines"]]
    assert press(client, job, "ready", [now]) == {"made": 1, "others": []}


def test_without_a_line_nothing_becomes_ready(client: httpx.Client) -> None:
    job, _ = taken_in(client, png(square()), png(square(), None))
    made = press(client, job, "ready", shown(client, job)["cards"])
    assert made == {"made": 0, "others": ["Art 0", "Art 1"]}
    assert shown(client, job)["waiting"] == 2


def test_one_width_for_all_that_came_without(shop: Shop, client: httpx.Client) -> None:
    job, designs = taken_in(client, *[png(square(), None)] * 3)
    cards = shown(client, job)["cards"]
    assert press(client, job, "width", cards[:2], width_mm=80.0) == {"made": 2, "others": []}
    assert [(one["width_mm"], one["height_mm"]) for one in shown(client, job)["cards"]] == [
        (80.0, 64.0), (80.0, 64.0), (None, None),
    ]  # fmt: skip
    assert do(shop, looking_over.find_all, job_id=job)["made"] == 2
    answer = client.post(
        f"/api/lines/{job}/width", json={"designs": [{"id": designs[2], "revision": 0, "key": ""}], "width_mm": 0}
    )
    assert answer.status_code == 422


def test_what_photographs_of_walls_ask_for_is_set_for_all_of_them(shop: Shop, client: httpx.Client) -> None:
    job, _ = taken_in(client, png(wall()), png(square()), png(wall().transpose(Image.Transpose.ROTATE_90)))
    do(shop, looking_over.find_all, job_id=job)
    first, plain, last = shown(client, job)["cards"]
    assert press(client, job, "asked", [first, last]) == {"made": 2, "others": []}
    do(shop, looking_over.find_all, job_id=job)
    first, _, last = shown(client, job)["cards"]
    assert (first["state"], last["state"]) == ("plain", "plain")
    left, top, right, bottom = Path(first["lines"][0]["d"]).bbox()
    assert [left, right, top, bottom] == pytest.approx([0, 60, 0, 40], abs=0.15)  # a rectangle, as it is
    # what asks for nothing is left alone, and named
    assert press(client, job, "asked", [plain])["others"] == [plain["name"]]


def test_told_to_stop_it_keeps_what_it_has(shop: Shop, client: httpx.Client) -> None:
    job, _ = taken_in(client, *[png(square().rotate(7 * turn)) for turn in range(4)])
    told: list[str] = []

    def report(_: float, words: str, __: object = None) -> bool:
        told.append(words)
        return len(told) < 3

    found = looking_over.find_all(shop, OfJob(job_id=job), report).result
    assert found.made == 2
    assert [one["state"] for one in shown(client, job)["cards"]] == ["plain", "plain", "no line", "no line"]


def test_of_very_many_lines_a_card_shows_those_that_are_seen(
    shop: Shop, client: httpx.Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The square and nine dots, four drawn; its box holds all of them."""
    image = square()
    pen = ImageDraw.Draw(image)
    for dot in range(9):
        pen.ellipse((20 + 50 * dot, 2, 44 + 50 * dot, 26), fill=(200, 30, 30, 255))
    job, (design,) = taken_in(client, png(image))
    revision = client.get(f"/api/designs/{design}").json()["revision"]
    change = {"revision": revision, "words": "near", "changes": {"offset_mm": 0.0}}
    client.post(f"/api/designs/{design}/edits", json=change).raise_for_status()
    monkeypatch.setattr(looking_over, "MOST_DRAWN", 4)
    assert do(shop, looking_over.find_all, job_id=job)["made"] == 1
    (card,) = shown(client, job)["cards"]
    (line,) = card["lines"]
    assert line["d"].count("M") == 4
    left, top, right, bottom = Path(line["d"].split("M")[1].join(["M", ""])).bbox()
    assert [left, top, right, bottom] == pytest.approx([5, 5, 45, 35], abs=0.15)  # the square is the first


def test_a_job_that_is_not_there_is_said(client: httpx.Client) -> None:
    assert client.get("/api/lines/99").status_code == 404


def test_pages_follow_each_other(shop: Shop, client: httpx.Client, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(looking_over, "A_PAGE", 2)
    job, designs = taken_in(client, *[png(square())] * 5)

    def numbers(skip: int) -> tuple[list[int], bool]:
        page = shown(client, job, skip=skip)
        return [one["id"] for one in page["cards"]], page["more"]

    assert [numbers(skip) for skip in (0, 2, 4)] == [
        (designs[:2], True), (designs[2:4], True), (designs[4:], False),
    ]  # fmt: skip


def test_a_line_that_cannot_be_found_is_refused_with_a_sentence(shop: Shop, client: httpx.Client) -> None:
    job, (design,) = taken_in(client, png(Image.new("RGBA", (80, 80))))
    (refused,) = do(shop, looking_over.find_all, job_id=job)["refused"]
    with pytest.raises(JobError) as alone:
        do(shop, looking_over.find_lines, design_id=design)
    assert refused["words"] == f"{alone.value.what} {alone.value.do}"
    assert shop.database.within(lambda session: session.get_one(Design, design).is_ready) is False
