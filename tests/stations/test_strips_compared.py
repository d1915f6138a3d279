"""Colour strips of prints beside that of the first one: pictures are taken in over the API, and Print says what is
off."""

import subprocess
from io import BytesIO
from pathlib import Path

import httpx
import pytest
from PIL import Image, ImageEnhance

from etiquette.demo import hands
from etiquette.stations import run_edits
from etiquette.stations.print import following, plating, sending
from etiquette.stations.shop import Shop
from tests.signed_in import client_of
from tests.stations.shop_floor import do, on_shelf, sheet_of


@pytest.fixture
def client(room: Shop) -> httpx.Client:
    return client_of(room)


def picture_of(shop: Shop, sheet: int, folder: Path) -> Image.Image:
    """The plate as poppler draws it: a scan of the sheet."""
    plate = sheet_of(shop, sheet).plate
    command = ["pdftoppm", "-r", "150", "-png", "-singlefile", str(shop.blobs.path(plate.pdf_sha)), "plate"]
    subprocess.run(command, cwd=folder, check=True)
    return Image.open(folder / "plate.png").convert("RGB")


def take_in(client: httpx.Client, sheet: int, picture: Image.Image) -> httpx.Response:
    out = BytesIO()
    picture.save(out, "PNG")
    return client.put(f"/api/sheets/{sheet}/strip", files={"file": ("strip.png", out.getvalue())})


def again(shop: Shop, run: int) -> int:
    (plate,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    sheet = shop.database.within(lambda session: sending.new_sheet(session, plate))
    do(shop, following.print_plate, sheet_id=sheet)
    return sheet


def test_a_second_print_is_compared_with_the_first(room: Shop, client: httpx.Client, tmp_path: Path) -> None:
    bare = on_shelf(room)
    run = sheet_of(room, bare).plate.run_id
    refused = take_in(client, bare, Image.new("RGB", (100, 100)))
    assert refused.status_code == 422 and "without a colour strip" in refused.json()["title"]
    room.database.within(lambda session: run_edits.change(session, run, None, "strip", {"strip": True}))
    hands.put_roll_on(room, run)
    first, second = again(room, run), again(room, run)

    def strips() -> dict[str, dict]:  # type: ignore[type-arg]
        return dict(client.get(f"/api/print/{run}").json()["strips"])

    assert strips() == {str(one): {**strips()[str(one)], "read": False} for one in (first, second)}
    scan = picture_of(room, first, tmp_path)
    assert take_in(client, first, scan).status_code == 204
    assert strips()[str(first)]["read"] and strips()[str(first)]["first"] is None
    assert take_in(client, second, picture_of(room, second, tmp_path)).status_code == 204
    alike = strips()[str(second)]
    assert alike["first"] == sheet_of(room, first).name and alike["verdict"] == "good" and alike["mean"] < 0.5
    assert (
        take_in(client, second, ImageEnhance.Color(picture_of(room, second, tmp_path)).enhance(0.6)).status_code == 204
    )
    pale = strips()[str(second)]
    assert pale["verdict"] == "stop" and pale["patches"][0]["delta"] > pale["mean"] > 4
    neutral = next(one for one in pale["patches"] if one["patch"] == "half black")
    assert neutral["delta"] < 1  # grey stays grey when colours fade

    swapped = take_in(client, first, picture_of(room, bare, tmp_path))
    assert swapped.status_code == 422 and strips()[str(first)]["read"]  # nothing of it is lost
    broken = client.put(f"/api/sheets/{first}/strip", files={"file": ("strip.png", b"\x89PNG nothing")})
    assert broken.status_code == 422 and "strip.png" in str(broken.json())
