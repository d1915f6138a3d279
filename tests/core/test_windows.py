"""What is looked at for a code and what is not."""

import cv2
import numpy as np
import pytest

from etiquette.core.aligning.windows import Window, find_code, may_hold_code
from etiquette.core.marking.codes import FORMATS, LEAST_MODULE_MM, CodeKind, FrameCode, code_modules

STOCK, SIDE, MM_PER_PX = 200.0, 360, 0.1
CODE = FrameCode("K7Q2R9", "tail")


def seen(paper: np.ndarray, noise: float, seed: int = 1) -> Window:
    """`paper` as a head sees it: blurred a little, with noise."""
    grey = cv2.GaussianBlur(paper, (0, 0), 0.8) + np.random.default_rng(seed).normal(0, noise, paper.shape)
    return Window(np.clip(grey, 0, 255).astype(np.uint8), 0, 0, MM_PER_PX)


def stock(dark: np.ndarray, contrast: float) -> np.ndarray:
    return np.asarray(STOCK - contrast * dark, dtype=np.float32)


def with_code(kind: CodeKind, module_mm: float, turn_deg: float, contrast: float) -> np.ndarray:
    """A code in the middle of a window, as much of it as fits, turned."""
    modules = code_modules(kind, CODE.payload).astype(np.float32)
    if kind == "code 128":
        modules = np.repeat(modules, round(8 / module_mm), axis=0)
    scale = module_mm / MM_PER_PX
    turn = cv2.getRotationMatrix2D((modules.shape[1] / 2 - 0.5, modules.shape[0] / 2 - 0.5), turn_deg, scale)
    turn[:, 2] += SIDE / 2 - np.array(modules.shape[::-1]) / 2 + 0.5
    # drawn four times finer, so that edges fall between pixels
    fine = cv2.warpAffine(modules, 4 * turn, (4 * SIDE, 4 * SIDE), flags=cv2.INTER_NEAREST)
    return stock(cv2.resize(fine, (SIDE, SIDE), interpolation=cv2.INTER_AREA), contrast)


@pytest.mark.parametrize("kind", FORMATS)
@pytest.mark.parametrize("turn", [0, 2, 45, 91, 180, 213])
@pytest.mark.parametrize(("contrast", "noise"), [(170, 0), (60, 4), (40, 12)])
@pytest.mark.parametrize("coarse", [1.0, 1.5])
def test_no_code_that_can_be_read_is_passed_by(
    kind: CodeKind, turn: float, contrast: float, noise: float, coarse: float
) -> None:
    """From the least module to one half as large again, in any turn, faint or noisy: whatever the decoder (zxing-cpp)
    reads is looked at, and so is what it can not."""
    window = seen(with_code(kind, coarse * LEAST_MODULE_MM[kind], turn, contrast), noise)
    found = find_code(window)
    assert found is None or found.code == CODE
    assert may_hold_code(window)
    if contrast == 170 and kind != "code 128" and turn != 45:  # a row of bars is wider than the window
        assert found is not None


@pytest.mark.parametrize("noise", [0, 12])
def test_bare_stock_marks_edges_and_plain_art_are_passed_by(noise: float) -> None:
    y, x = (np.mgrid[:SIDE, :SIDE] - SIDE / 2) * MM_PER_PX
    papers = {
        "bare": np.zeros((SIDE, SIDE)),
        "an edge": x + 0.2 * y > 3,
        "a ring": (np.hypot(x, y) < 4) & (np.hypot(x, y) > 2.5),
        "two marks": (np.hypot(x - 9, y) < 3) | (np.hypot(x + 9, y + 2) < 3),
        "a cross": ((np.abs(x) < 0.6) & (np.abs(y) < 5)) | ((np.abs(y) < 0.6) & (np.abs(x) < 5)),
        "light that falls off": (x + 18) / 36,
    }
    for name, dark in papers.items():
        assert not may_hold_code(seen(stock(np.asarray(dark, dtype=np.float32), 150), noise)), name
