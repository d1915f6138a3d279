"""Frame codes against the standards and an independent decoder."""

import subprocess
from pathlib import Path

import cv2
import numpy as np
import pytest
import zxingcpp
from PIL import Image

from etiquette.core.aligning.windows import Window, find_code
from etiquette.core.marking.codes import (
    CodeKind,
    FrameCode,
    check_character,
    code_modules,
    module_mm,
    new_code,
    parse_payload,
)


def test_check_character_of_iso_7064() -> None:
    """Source: ISO/IEC 7064, MOD 37-2. A string with its check character sums to 1 modulo 37 when every place weighs
    twice the next. The example G123498654321 with check character H is from memory."""
    assert check_character("G123498654321") == "H"
    alphabet = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ*"
    for body in ("K7Q2R9H", "222222T", "ZZZZZZH"):
        whole = body + check_character(body)
        assert sum(alphabet.index(c) * 2**place for place, c in enumerate(reversed(whole))) % 37 == 1


def test_every_single_wrong_character_is_refused() -> None:
    """ISO/IEC 7064: MOD 37-2 detects every single substitution and every swap of neighbours."""
    payload = FrameCode("K7Q2R9", "head").payload
    assert parse_payload(payload) == FrameCode("K7Q2R9", "head")
    for place in range(len(payload)):
        for other in "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ":
            if other != payload[place]:
                assert parse_payload(payload[:place] + other + payload[place + 1 :]) is None
    for place in range(len(payload) - 1):
        swapped = payload[:place] + payload[place + 1] + payload[place] + payload[place + 2 :]
        assert swapped == payload or parse_payload(swapped) is None


@pytest.mark.parametrize("end", ["head", "tail"])
def test_data_matrix_is_read_by_another_decoder(end: str, tmp_path: Path) -> None:
    """Source: ISO/IEC 16022, decoded by libdmtx (dmtxread), which shares no code with the writer."""
    payload = FrameCode(new_code(), end).payload  # type: ignore[arg-type]
    modules = np.where(code_modules("data matrix", payload), 0, 255).astype(np.uint8)
    image = np.pad(np.kron(modules, np.ones((8, 8), np.uint8)), 32, constant_values=255)
    Image.fromarray(image).save(tmp_path / "code.png")
    read = subprocess.run(
        ["dmtxread", "-n", "-N1", "-m2000", str(tmp_path / "code.png")], capture_output=True, text=True, check=False
    )
    assert read.stdout.strip() == payload


@pytest.mark.parametrize(("kind", "pixels"), [("data matrix", 8), ("qr", 8), ("code 128", 4)])
def test_codes_survive_stretch_turn_blur_and_noise(kind: CodeKind, pixels: int) -> None:
    """0.3 % stretch, 2° turn, blur and noise, at the scale an optical head sees: 0.1 mm a pixel, 0.8 mm a module, 0.4
    mm a bar."""
    random = np.random.default_rng(9)
    for _ in range(30):
        payload = FrameCode(new_code(), "head").payload
        modules = (
            np.repeat(code_modules(kind, payload), 20, axis=0) if kind == "code 128" else code_modules(kind, payload)
        )
        image = np.pad(
            np.kron(np.where(modules, 50, 220).astype(np.uint8), np.ones((pixels, pixels), np.uint8)),
            90,
            constant_values=220,
        )
        height, width = image.shape
        matrix = cv2.getRotationMatrix2D((width / 2, height / 2), 2, 1.003)
        bent = cv2.GaussianBlur(cv2.warpAffine(image, matrix, (width, height), borderValue=220), (0, 0), 1.2)
        noisy = np.clip(bent + random.normal(0, 8, bent.shape), 0, 255).astype(np.uint8)
        seen = find_code(Window(noisy, 100, 50, 0.1))
        assert seen is not None and seen.code.payload == payload
        assert (seen.x, seen.y) == pytest.approx((100, 50), abs=0.3 if kind != "code 128" else 3)
        # bars are found along one scan line, which need not lie along them: only the end is sure
        assert seen.angle_deg == pytest.approx(2, abs=1.5 if kind != "code 128" else 10)


def test_bars_of_code_128_are_those_of_the_standard() -> None:
    """Source: ISO/IEC 15417: start B is 11010010000, stop 1100011101011; the check symbol is the weighted sum mod 103;
    every symbol has 11 modules."""
    payload = FrameCode("K7Q2R9", "head").payload
    bars = "".join("1" if dark else "0" for dark in code_modules("code 128", payload)[0])
    assert bars.startswith("11010010000") and bars.endswith("1100011101011") and len(bars) == 11 * 10 + 13
    corrupted = bars[:33] + "".join("10"[int(bit)] for bit in bars[33:44]) + bars[44:]
    image = np.kron(np.array([[255 * (bit == "0") for bit in corrupted]], np.uint8), np.ones((60, 4), np.uint8))
    assert zxingcpp.read_barcodes(np.pad(image, 40, constant_values=255)) == []


@pytest.mark.parametrize(("dpi", "module"), [(150, 5 * 25.4 / 150), (300, 10 * 25.4 / 300), (720, 23 * 25.4 / 720)])
def test_a_module_is_whole_dots_of_the_printer(dpi: float, module: float) -> None:
    """0.8 mm rounded up to dots, by hand: 4.72, 9.45 and 22.68 dots."""
    assert module_mm("data matrix", dpi) == pytest.approx(module)


def test_a_corrupted_code_is_refused() -> None:
    payload = FrameCode("K7Q2R9", "tail").payload
    modules = code_modules("data matrix", payload).copy()
    modules[3:11, 3:11] ^= np.random.default_rng(2).random((8, 8)) < 0.5
    image = np.pad(
        np.kron(np.where(modules, 0, 255).astype(np.uint8), np.ones((8, 8), np.uint8)), 40, constant_values=255
    )
    assert all(
        parse_payload(found.text) in (None, FrameCode("K7Q2R9", "tail")) for found in zxingcpp.read_barcodes(image)
    )
    assert parse_payload("K7Q2R9TX") != FrameCode("K7Q2R9", "tail") or payload == "K7Q2R9TX"
