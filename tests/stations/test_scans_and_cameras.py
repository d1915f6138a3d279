"""Scans of printed cards and cameras over tables as strangers have them: what they send, and what they do not say."""

from collections.abc import Iterator
from io import BytesIO
from typing import Any

import httpx
import numpy as np
import pytest
from PIL import Image

from etiquette.core.aligning.windows import Window
from etiquette.core.errors import JobError
from etiquette.devices.contracts import Identity
from etiquette.devices.eyes import table_camera
from etiquette.stations.shelf import card_printing
from etiquette.stations.shelf.schemas import PrintedCard
from etiquette.stations.shop import Shop
from tests.signed_in import signed_in
from tests.stations.shop_floor import do

MAT = {"markers": "DICT_4X4_250", "side_mm": 20.0, "step_mm": 50.0, "across": 4, "first_mm": [0, 0], "photo_mm": 500.0}


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    with signed_in(shop) as made:
        yield made


def scan(form: str, **more: Any) -> bytes:
    """Stripes in grey, as a scanner would keep them."""
    grey = np.tile(np.repeat([40, 220], 8).astype(np.uint8), (64, 8))
    out = BytesIO()
    Image.fromarray(grey).save(out, form, **more)
    return out.getvalue()


def given(client: httpx.Client, content: bytes, name: str = "scan.png") -> httpx.Response:
    return client.post("/api/test-cards/scans", files={"file": (name, content)})


@pytest.mark.parametrize(("form", "dpi"), [("PNG", 1200), ("TIFF", 600), ("JPEG", 300)])
def test_a_scan_says_how_fine_it_is(client: httpx.Client, form: str, dpi: int) -> None:
    """An inch is 25.4 mm; PNG counts dots a metre, so its figure is rounded to 0.01 %."""
    kept = given(client, scan(form, dpi=(dpi, dpi))).json()
    assert kept["mm_per_px"] == pytest.approx(25.4 / dpi, rel=1e-4)
    shown = client.get(f"/api/test-cards/scans/{kept['scan']}")
    assert shown.status_code == 200 and shown.content == scan(form, dpi=(dpi, dpi))


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "no scan that can be read"),
        (b"%PDF-1.7 not a picture", "no scan that can be read"),
        (scan("GIF"), "no scan that can be read"),  # a picture, but none that a scanner makes
        (scan("PNG"), "does not say how fine it is"),
        (scan("PNG", dpi=(72, 72)), "does not say how fine it is"),  # what programs write that do not know
    ],
)  # fmt: skip
def test_what_is_no_scan_is_refused_in_a_sentence(client: httpx.Client, content: bytes, words: str) -> None:
    answer = given(client, content)
    assert answer.status_code == 422 and words in answer.json()["title"], answer.json()


def test_a_scan_that_was_cut_off_is_refused_when_it_is_given(client: httpx.Client) -> None:
    whole = scan("PNG", dpi=(1200, 1200))
    answer = given(client, whole[: len(whole) // 2])
    assert answer.status_code == 422 and "no scan that can be read" in answer.json()["title"]


def test_a_scan_of_a_whole_table_is_refused_before_it_is_read(
    client: httpx.Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(card_printing, "MOST_SCAN_PIXELS", 1000)
    answer = given(client, scan("PNG", dpi=(1200, 1200)))
    assert answer.status_code == 422 and "too many pixels" in answer.json()["title"]


def test_a_scan_that_is_not_kept_any_more_is_said_so(shop: Shop, client: httpx.Client) -> None:
    assert client.get(f"/api/test-cards/scans/{'0' * 64}").status_code == 404
    values = {"card": "nozzles", "cutter_id": 1, "stock_id": 1, "readings": {}, "scan": "0" * 64, "mm_per_px": 0.02}
    with pytest.raises(JobError, match="not kept any more"):
        do(shop, card_printing.read_printed_card, **PrintedCard(**values).model_dump())


class NoEye:
    """A camera that is never asked: what is said of its mat comes first."""

    def identity(self) -> Identity:
        raise AssertionError

    def look(self, at: tuple[float, float] | None = None) -> Window:
        raise AssertionError


@pytest.mark.parametrize(
    "board",
    [
        None,
        {},
        {**MAT, "first_mm": None},
        {**MAT, "first_mm": [0]},
        {**MAT, "step_mm": "wide"},
        {**MAT, "step_mm": 0},
        {**MAT, "across": -1},
        {**MAT, "photo_mm": float("nan")},
        {key: value for key, value in MAT.items() if key != "markers"},
    ],
)
def test_a_camera_whose_mat_is_not_described_says_what_to_do(board: dict[str, Any] | None) -> None:
    with pytest.raises(JobError, match="not known how the mat of Knife is printed") as told:
        table_camera(NoEye(), board, "Knife")
    assert told.value.do == "Read the marks with the head."


def test_a_mat_that_is_described_is_taken_without_a_look() -> None:
    assert table_camera(NoEye(), MAT, "Knife").looks == 0
