"""Recipes over the API: made from how something was done, used, compared, carried to another shop as a file."""

import json
from collections.abc import Iterator
from io import BytesIO
from typing import Any

import httpx
import numpy as np
import pytest
from PIL import Image, ImageDraw
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.production.file_names import Named
from etiquette.demo.art import art_file
from etiquette.files.documents.designs import DesignDocument
from etiquette.files.documents.recipes import ABOUT_ONE_ART, ABOUT_ONE_RUN, THINGS, LinesChoices, RunChoices
from etiquette.files.documents.runs import RunDocument
from etiquette.intake import orders
from etiquette.stations import run_edits
from etiquette.stations.designs import state_of
from etiquette.stations.lines import taking_in
from etiquette.stations.recipe_words import LABELS
from etiquette.stations.shop import Shop
from etiquette.store.models import Art, Design, Job, Recipe, SpecialInk, Stock
from tests.signed_in import signed_in
from tests.stations.shop_floor import fill_shelf


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    shop.database.within(fill_shelf)
    with signed_in(shop) as made:
        yield made


def art(shop: Shop, **wanted: Any) -> int:
    (design,) = taking_in.take_in(shop, art_file("spark")[1], "spark.png", None, wanted)
    return design


def run_of(shop: Shop, design: int) -> int:
    return shop.database.within(lambda s: run_edits.create(s, "One", [{"design_id": design, "count": 4}]))


def edit(client: httpx.Client, subject: str, number: int, **changes: Any) -> None:
    revision = client.get(f"/api/{subject}/{number}").json()["revision"]
    body = {"revision": revision, "words": "test", "changes": changes}
    client.post(f"/api/{subject}/{number}/edits", json=body).raise_for_status()


def use(client: httpx.Client, subject: str, number: int, recipe: int) -> httpx.Response:
    revision = client.get(f"/api/{subject}/{number}").json()["revision"]
    return client.post(f"/api/{subject}/{number}/recipe", json={"recipe_id": recipe, "revision": revision})


def made(client: httpx.Client, name: str, **of: Any) -> dict[str, Any]:
    answer = client.post("/api/recipes", json={"name": name, **of})
    assert answer.status_code == 200, answer.text
    return dict(answer.json())


def test_every_setting_is_a_choice_with_a_name_or_says_something_about_one_piece_of_work() -> None:
    """A setting that is added later has to be decided upon."""
    assert set(DesignDocument.model_fields) == set(LinesChoices.model_fields) | ABOUT_ONE_ART
    assert set(LABELS["lines"]) == set(LinesChoices.model_fields)
    assert set(RunDocument.model_fields) | set(THINGS) == set(RunChoices.model_fields) | ABOUT_ONE_RUN
    assert set(LABELS["run"]) == set(RunChoices.model_fields)


def test_how_something_was_done_is_done_again_in_one_press_and_undone_in_one(shop: Shop, client: httpx.Client) -> None:
    design = art(shop)
    run = run_of(shop, design)
    edit(client, "designs", design, offset_mm=1.25, holes="keep", bleed_mm=2.0, width_mm=64.0)
    edit(client, "runs", run, gap_mm=5.0, laying="grid")
    recipe = made(client, "Sparks", design_id=design, run_id=run)
    chosen = {one["key"]: one["value"] for one in recipe["shown"] if one["part"] == "lines"}
    # what was left as it was is left open, and so is the size, which is about its very art
    assert chosen == {"offset_mm": 1.25, "holes": "keep", "bleed_mm": 2.0}
    assert {one["key"] for one in recipe["shown"] if one["part"] == "run"} >= {"gap_mm", "laying", "stock", "cutter"}
    other, more = art(shop, offset_mm=4.0, corner_mm=1.0), None
    more = run_of(shop, other)
    document = use(client, "designs", other, recipe["id"]).json()["document"]
    # what the recipe leaves open stays
    assert (document["offset_mm"], document["holes"], document["corner_mm"]) == (1.25, "keep", 1.0)
    settings = use(client, "runs", more, recipe["id"]).json()["document"]
    assert (settings["gap_mm"], settings["laying"]) == (5.0, "grid")
    revision = client.get(f"/api/designs/{other}").json()["revision"]
    back = client.post(f"/api/designs/{other}/undo", json={"revision": revision}).json()["document"]
    assert (back["offset_mm"], back["holes"]) == (4.0, "fill")


def test_a_job_keeps_what_its_recipe_said_when_it_was_used(shop: Shop, client: httpx.Client) -> None:
    design = art(shop)
    edit(client, "designs", design, offset_mm=1.0)
    recipe = made(client, "Sparks", design_id=design)
    use(client, "designs", design, recipe["id"]).raise_for_status()
    change = {"version": recipe["version"], "lines": {"offset_mm": 9.0}}
    changed = client.patch(f"/api/recipes/{recipe['id']}", json=change).json()
    assert [one["words"] for one in changed["shown"] if one["key"] == "offset_mm"] == ["9 mm"]
    client.delete(f"/api/recipes/{recipe['id']}").raise_for_status()
    kept = shop.database.within(lambda session: session.scalars(select(Job)).one().recipe)
    assert kept is not None and (kept["name"], kept["lines"]["offset_mm"]) == ("Sparks", 1.0)


def test_the_shops_defaults_are_a_recipe(shop: Shop, client: httpx.Client) -> None:
    design = art(shop)
    run = run_of(shop, design)
    edit(client, "designs", design, offset_mm=0.75, follow="hull")
    edit(client, "runs", run, gap_mm=7.0)
    recipe = made(client, "House", design_id=design, run_id=run)
    wish = {"version": recipe["version"], "for_all": True}
    client.patch(f"/api/recipes/{recipe['id']}", json=wish).raise_for_status()
    fresh = art(shop)
    document = client.get(f"/api/designs/{fresh}").json()["document"]
    assert document["offset_mm"] == 0.75
    assert client.get(f"/api/runs/{run_of(shop, fresh)}").json()["document"]["gap_mm"] == 7.0
    other = made(client, "Other", like=recipe["id"])
    client.patch(f"/api/recipes/{other['id']}", json={"version": 1, "for_all": True}).raise_for_status()
    assert [(one["name"], one["for_all"]) for one in client.get("/api/recipes").json()] == [
        ("Other", True), ("House", False),
    ]  # fmt: skip


def test_what_differs_between_two_recipes_is_said(shop: Shop, client: httpx.Client) -> None:
    design = art(shop)
    edit(client, "designs", design, offset_mm=1.5, holes="keep")
    one = made(client, "One", design_id=design)
    other = made(client, "Other", like=one["id"])
    assert client.get(f"/api/recipes/{one['id']}/compare/{other['id']}").json() == []
    change = {"version": 1, "lines": {"offset_mm": -2.0}, "leave_out": [["lines", "holes"]], "run": {"gap_mm": 3}}
    client.patch(f"/api/recipes/{other['id']}", json={**change, "send": True}).raise_for_status()
    said = client.get(f"/api/recipes/{one['id']}/compare/{other['id']}").json()
    assert [(one["label"], one["one"], one["other"]) for one in said] == [
        ("Offset", "1.5 mm", "-2 mm"), ("Holes", "keep", ""), ("Gap", "", "3 mm"),
        ("When it is ready", "held", "sent"),
    ]  # fmt: skip
    # for whoever works in inches
    assert [(one["one_mm"], one["other_mm"]) for one in said] == [(1.5, -2.0), (None, None), (None, 3.0), (None, None)]


def test_a_recipe_goes_to_another_shop_as_a_file(shop: Shop, client: httpx.Client) -> None:
    design = art(shop)
    edit(client, "designs", design, offset_mm=1.5)
    run = run_of(shop, design)
    recipe = made(client, "Sparks", design_id=design, run_id=run)
    text = client.get(f"/api/recipes/{recipe['id']}/file").text
    stock = shop.database.within(lambda session: session.scalars(select(Stock.name)).one())
    assert json.loads(text)["run"]["stock"] == stock
    again = client.post("/api/recipes/file", json={"name": "RECIPE.json", "text": text}).json()
    assert again["name"] == "Sparks 2" and again["missing"] == []
    assert client.get(f"/api/recipes/{recipe['id']}/compare/{again['id']}").json() == []
    shop.database.within(lambda session: setattr(session.scalars(select(Stock)).one(), "name", "Another stock"))
    there = client.get(f"/api/recipes/{again['id']}").json()
    assert there["missing"] == [f"stock {stock}"]
    settings = use(client, "runs", run, again["id"])  # what is not here stays as it is
    assert settings.status_code == 200


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("{", "RECIPE.json is not as it should be"),
        ('{"version": 2, "name": "One"}', "at version"),
        ('{"name": "  "}', "at name"),
        ('{"name": "One", "lines": {"offset_mm": 900}}', "at lines.offset_mm"),
        ('{"name": "One", "lines": {"due_count": 10}}', "at lines.due_count"),
        ('{"name": "One", "run": {"stock_id": 1}}', "at run.stock_id"),
    ],
)
def test_a_file_that_is_none_is_refused_with_its_place(client: httpx.Client, text: str, said: str) -> None:
    answer = client.post("/api/recipes/file", json={"name": "RECIPE.json", "text": text})
    assert answer.status_code == 422 and said in answer.text
    assert client.get("/api/recipes").json() == []


def test_a_choice_that_cannot_be_and_a_second_change_are_refused(client: httpx.Client) -> None:
    recipe = made(client, "Empty")
    assert recipe["choices"] == 0
    wrong = client.patch(f"/api/recipes/{recipe['id']}", json={"version": 1, "lines": {"offset_mm": "wide"}})
    assert wrong.status_code == 422 and "lines.offset_mm" in wrong.text
    first = client.patch(f"/api/recipes/{recipe['id']}", json={"version": 1, "name": "Plain"})
    assert first.status_code == 200
    assert client.patch(f"/api/recipes/{recipe['id']}", json={"version": 1, "name": "Late"}).status_code == 409


def half_red(shop: Shop, design: int) -> str:
    """On which half of the sheet the red of `window` is printed."""
    state = shop.database.within(lambda session: state_of(session, design))
    picture = np.asarray(Image.open(BytesIO(shop.blobs.read(state.art.picture_sha))).convert("RGB")).astype(int)
    red = (picture[..., 0] - picture[..., 2]) > 80
    half = picture.shape[1] // 2
    return "left" if red[:, :half].sum() > red[:, half:].sum() else "right"


def window() -> bytes:
    """Red on its left, blue on its right."""
    picture = Image.new("RGB", (400, 200), (20, 40, 180))
    ImageDraw.Draw(picture).rectangle((0, 0, 199, 199), fill=(200, 30, 30))
    out = BytesIO()
    picture.save(out, "PNG", dpi=(254, 254))
    return out.getvalue()


def window_recipe(client: httpx.Client, **more: Any) -> int:
    recipe = made(client, "Inside of a window")["id"]
    changes = {"version": 1, "lines": {"second_surface": True, "white": "line"}, **more}
    client.patch(f"/api/recipes/{recipe}", json=changes).raise_for_status()
    return recipe


@pytest.mark.parametrize("way", ["defaults", "order", "used", "dropped"])
def test_a_recipe_for_the_second_surface_mirrors_the_art(shop: Shop, client: httpx.Client, way: str) -> None:
    """White came last, and the art was not mirrored: through the glass it was read backwards."""
    recipe = window_recipe(client, for_all=way in ("defaults", "dropped"))
    if way == "order":
        wished = orders.Wished(Named("Window", 2, None, "Bell foundry"), recipe_id=recipe)
        orders.take(shop, "key", "window.png", window(), wished)
        (design,) = shop.database.within(lambda session: session.scalars(select(Design.id)).all())
    elif way == "dropped":
        (design,) = client.post("/api/designs", files={"file": ("window.png", window())}).json()["ids"]
    else:
        (design,) = taking_in.take_in(shop, window(), "window.png", None, {})
    if way == "used":
        assert half_red(shop, design) == "left"
        assert use(client, "designs", design, recipe).status_code == 200
    held = client.get(f"/api/designs/{design}").json()
    assert held["document"]["second_surface"] and held["document"]["arranged"]["mirror"]
    assert held["document"]["width_mm"] == pytest.approx(40) and half_red(shop, design) == "right"
    plain = made(client, "Outside")["id"]
    client.patch(f"/api/recipes/{plain}", json={"version": 1, "lines": {"second_surface": False}}).raise_for_status()
    assert use(client, "designs", design, plain).status_code == 200
    assert half_red(shop, design) == "left"


def test_its_white_of_its_own_is_mirrored_with_it(shop: Shop, client: httpx.Client) -> None:
    window_recipe(client, for_all=True)
    files = [("file", ("window.png", window())), ("file", ("window-white.png", window()))]
    (design,) = client.post("/api/designs", files=files).json()["ids"]
    white = client.get(f"/api/designs/{design}").json()["document"]["white_art_id"]
    sha = shop.database.within(lambda session: session.get_one(Art, white).picture_sha)
    picture = np.asarray(Image.open(BytesIO(shop.blobs.read(sha))).convert("RGB")).astype(int)
    assert picture[100, 390, 0] > 150 > picture[100, 10, 0] and half_red(shop, design) == "right"


def test_nobody_says_second_surface_without_a_mirror(shop: Shop, client: httpx.Client) -> None:
    design = art(shop)
    revision = client.get(f"/api/designs/{design}").json()["revision"]
    asked = {"revision": revision, "words": "test", "changes": {"second_surface": True}}
    refused = client.post(f"/api/designs/{design}/edits", json=asked)
    assert refused.status_code == 422 and "mirrored" in refused.json()["title"]
    assert not client.get(f"/api/designs/{design}").json()["document"]["second_surface"]


def test_defaults_that_change_while_art_is_read_keep_nothing_of_it(
    shop: Shop, client: httpx.Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = taking_in.mirrored_for

    def changed_after(*asked: Any) -> Any:
        found = before(*asked)
        window_recipe(client, for_all=True)
        return found

    monkeypatch.setattr(taking_in, "mirrored_for", changed_after)
    refused = client.post("/api/designs", files={"file": ("window.png", window())})
    assert refused.status_code == 422 and "defaults were changed" in refused.json()["title"]
    assert client.get("/api/designs").json() == []


def test_a_recipe_keeps_no_clear_that_lies_in_a_place_of_one_art(shop: Shop, client: httpx.Client) -> None:
    """Another design had “clear in a rectangle” of it, and no rectangle: none was printed, and nobody was told."""
    design = art(shop, clear="area", clear_area=[1.0, 1.0, 10.0, 10.0], offset_mm=3.0)
    made(client, "From it", design_id=design)
    kept = shop.database.within(lambda session: session.scalar(select(Recipe).where(Recipe.name == "From it")).document)
    assert kept.lines == {"offset_mm": 3.0}


def test_special_inks_of_a_recipe_are_known_by_their_names_elsewhere(shop: Shop, client: httpx.Client) -> None:
    """In another shop the same number is another ink: its layer of gold was printed in that."""

    def two(session: Session) -> tuple[int, int]:
        inks = [SpecialInk(name=name, cyan=0, magenta=20, yellow=60, black=0) for name in ("Gold", "Copper")]
        session.add_all(inks)
        session.flush()
        return inks[0].id, inks[1].id

    gold, copper = shop.database.within(two)
    marks = {"layer Foil": f"special {gold}", "layer Rim": f"special {copper}", "layer Under": "white"}
    recipe = made(client, "Foil")["id"]
    client.patch(f"/api/recipes/{recipe}", json={"version": 1, "lines": {"marked": marks}}).raise_for_status()
    file = client.get(f"/api/recipes/{recipe}/file").text
    assert json.loads(file)["special_inks"] == {str(gold): "Gold", str(copper): "Copper"}

    def other_numbers(session: Session) -> None:
        """What another shop has: no copper, and under gold's number something else."""
        session.get_one(SpecialInk, gold).name = "Fluorescent"
        session.flush()
        session.get_one(SpecialInk, copper).name = "Gold"

    shop.database.within(other_numbers)
    taken = client.post("/api/recipes/file", json={"name": "RECIPE.json", "text": file}).json()["id"]
    kept = shop.database.within(lambda session: session.get_one(Recipe, taken).document.lines["marked"])
    assert kept == {"layer Foil": f"special {copper}", "layer Under": "white"}
    old = {**json.loads(file), "name": "Old"}  # as it was written before inks were named
    del old["special_inks"]
    taken = client.post("/api/recipes/file", json={"name": "RECIPE.json", "text": json.dumps(old)}).json()["id"]
    kept = shop.database.within(lambda session: session.get_one(Recipe, taken).document.lines["marked"])
    assert kept == {"layer Under": "white"}


def test_newer_art_by_an_order_for_the_second_surface_is_mirrored_once(shop: Shop, client: httpx.Client) -> None:
    """What takes the place of the open design's art is the file as it came, and that is mirrored as the old one was."""
    recipe = window_recipe(client)
    wished = orders.Wished(Named("Window", 2, None, "Bell foundry"), recipe_id=recipe)
    orders.take(shop, "one", "window.png", window(), wished)
    second = orders.take(shop, "two", "window.png", window(), wished)
    design = orders.as_newer_art(shop, second)
    held = client.get(f"/api/designs/{design}").json()["document"]
    assert held["second_surface"] and held["arranged"]["mirror"] and half_red(shop, design) == "right"
