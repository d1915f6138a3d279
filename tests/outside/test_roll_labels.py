"""Labels of rolls, read by programs nobody here wrote: drawn by poppler, decoded by OpenCV and zxing-cpp."""

import subprocess
from pathlib import Path

import cv2
import numpy as np
import pikepdf
import pytest
import zxingcpp
from PIL import Image

from etiquette.core.marking.codes import check_character, parse_payload
from etiquette.core.printing.roll_labels import LABEL_MM, label_page, label_payload, roll_code

CODE = "7KQ2XH"


@pytest.fixture(scope="module")
def drawn(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """As an office printer of 300 dots an inch would print it."""
    folder = tmp_path_factory.mktemp("label")
    page = label_page(
        CODE, "Matt white, roll 12 with a name that is far too long", ["Matt white 760", "lot A-204", "rack 3"]
    )
    (folder / "label.pdf").write_bytes(page)
    subprocess.run(["qpdf", "--check", folder / "label.pdf"], check=True, capture_output=True)
    subprocess.run(["pdftoppm", "-r", "300", "-png", "-singlefile", folder / "label.pdf", folder / "label"], check=True)
    return folder / "label.png"


def test_it_is_of_its_real_size_and_two_decoders_read_the_same(drawn: Path) -> None:
    with pikepdf.open(drawn.with_suffix(".pdf")) as pdf:
        width, height = (float(value) / 72 * 25.4 for value in pdf.pages[0].MediaBox[2:])
    assert (width, height) == pytest.approx(LABEL_MM, abs=0.01)
    grey = np.asarray(Image.open(drawn).convert("L"))
    by_opencv, *_ = cv2.QRCodeDetector().detectAndDecode(grey)
    (by_zxing,) = zxingcpp.read_barcodes(grey)
    assert by_opencv == by_zxing.text == label_payload(CODE) and roll_code(by_opencv) == CODE


def test_nothing_is_drawn_over_the_rim(drawn: Path) -> None:
    """A name that is too long is cut off before the edge of the label."""
    grey = np.asarray(Image.open(drawn).convert("L"))
    assert grey[:, -20:].min() == 255 and grey[:20].min() == 255 and grey[-20:].min() == 255
    assert (grey[:, 400:] < 128).sum() > 1000  # and there is text beside the code


def test_what_is_typed_is_taken_and_what_is_wrong_is_not() -> None:
    """The check character is that of ISO/IEC 7064, MOD 37-2: any one character misread is found."""
    payload = label_payload(CODE)
    assert payload[-1] == check_character("ROLL" + CODE)
    for said in (payload, payload.lower(), f" {payload}\r\n", CODE, "7kq 2xh", "7KQ-2XH"):
        assert roll_code(said) == CODE
    for place in range(4, len(payload)):
        wrong = payload[:place] + ("A" if payload[place] != "A" else "B") + payload[place + 1 :]
        assert roll_code(wrong) is None
    for said in ("", "K7Q2R9H4", "ROLL", "7KQ2XÄ", "ROLL" + CODE, "x" * 300):
        assert roll_code(said) is None


def test_no_label_is_taken_for_a_frame_code() -> None:
    assert parse_payload(label_payload(CODE)) is None and parse_payload(label_payload("TTTTTT")) is None
