"""Colour strips as they are printed (drawn by poppler) and as a camera sees them: aslant, in light from one side, with
blur and grain. What light and camera do must not count as ink, and what ink does must not be missed."""

import re
import subprocess
from io import BytesIO
from pathlib import Path

import cv2
import numpy as np
import pikepdf
import pytest
from numpy.typing import NDArray
from PIL import Image

from etiquette.core.artwork.colour import ciede2000, lab_of
from etiquette.core.calibrating.printed_strips import differences, read_strip
from etiquette.core.errors import JobError
from etiquette.core.marking.codes import CodeKind
from etiquette.core.marking.frame_plans import FramePlan, Reach
from etiquette.core.marking.frames import plan_frame
from etiquette.core.marking.marks import MarkRecipe
from etiquette.core.marking.strips import PATCHES
from etiquette.core.printing.coverage import coverage
from etiquette.core.printing.plates import FrameContent, colour_plate

Pixels = NDArray[np.uint8]
MARKS = MarkRecipe()


def plan_of(kind: CodeKind = "data matrix", wide: float = 300, code: str = "K7Q2R9") -> FramePlan:
    recipe = MarkRecipe(code=kind)
    return plan_frame((0, 0, wide, 60), wide + 100, recipe, Reach(1616, 3200), code, f"{code}-1", with_strip=True)


def plate_of(plan: FramePlan, kind: CodeKind = "data matrix") -> bytes:
    return colour_plate(FrameContent({}, {}, [], plan, MarkRecipe(code=kind), "Strip"))


def printed(pdf: bytes, folder: Path) -> Pixels:
    """By poppler at 200 pixels an inch."""
    (folder / "plate.pdf").write_bytes(pdf)
    subprocess.run(["pdftoppm", "-r", "200", "-png", "-singlefile", "plate.pdf", "plate"], cwd=folder, check=True)
    return np.asarray(Image.open(folder / "plate.png").convert("RGB"))


def seen(page: Pixels, plan: FramePlan, seed: int, light: tuple[float, float, float] = (1, 1, 1)) -> Pixels:
    """The tail row in a photo: from a little aside, in light of this colour that falls off to one side."""
    px = 200 / 25.4
    assert plan.strip is not None
    top = page.shape[0] - int((plan.strip.y + 22) * px)
    part = page[top : page.shape[0] - int((plan.strip.y - 14) * px), : int(page.shape[1] * 0.75)].astype(np.float64)
    high, wide = part.shape[:2]
    flat = np.float32([(0, 0), (wide, 0), (wide, high), (0, high)])
    bent = np.float32([(30, 22), (wide - 14, 8), (wide - 4, high - 24), (12, high - 6)])
    part = cv2.warpPerspective(part, cv2.getPerspectiveTransform(flat, bent), (wide, high), borderValue=(90, 90, 90))
    linear = (part / 255) ** 2.2 * np.array(light) * np.linspace(0.95, 0.75, wide)[None, :, None]
    hazy = cv2.GaussianBlur(linear ** (1 / 2.2) * 255, (0, 0), 1.0)
    return np.clip(hazy + np.random.default_rng(seed).normal(0, 3, hazy.shape), 0, 255).astype(np.uint8)


def with_less_magenta(pdf: bytes, share: float) -> bytes:
    """The plate of a printer that lays down only so much of its magenta."""
    with pikepdf.open(BytesIO(pdf)) as document:
        page = document.pages[0]
        text = page.Contents.read_bytes().decode()

        def less(match: re.Match[str]) -> str:
            c, m, y, k = map(float, match.groups())
            return f"{c:g} {m * share:g} {y:g} {k:g} k"

        page.Contents = document.make_stream(re.sub(r"([\d.]+) ([\d.]+) ([\d.]+) ([\d.]+) k", less, text).encode())
        document.save(out := BytesIO())
        return out.getvalue()


@pytest.mark.parametrize("kind", ["data matrix", "qr"])
def test_every_patch_is_read_where_it_was_printed(kind: CodeKind, tmp_path: Path) -> None:
    """Straight from poppler's page: the colours are those that poppler gives the same inks on a page of their own."""
    plan = plan_of(kind)
    page = printed(plate_of(plan, kind), tmp_path)
    found = read_strip(page, plan, MarkRecipe(code=kind))
    assert plan.strip is not None and list(found) == [name for name, _ in PATCHES[: plan.strip.count]]
    for name, inks in PATCHES[: plan.strip.count]:
        with pikepdf.new() as alone:
            alone.add_blank_page(page_size=(72, 72))
            alone.pages[0].Contents = alone.make_stream(f"{' '.join(map(str, inks))} k 0 0 72 72 re f".encode())
            alone.save(tmp_path / "one.pdf")
        wanted = printed((tmp_path / "one.pdf").read_bytes(), tmp_path)[100, 100]
        assert ciede2000(lab_of(wanted), np.array(found[name])) < 0.5, name


def test_another_light_is_no_other_ink_and_less_ink_is_told(tmp_path: Path) -> None:
    plan = plan_of()
    pdf = plate_of(plan)
    page = printed(pdf, tmp_path)
    first = read_strip(seen(page, plan, 1), plan, MARKS)
    later = differences(read_strip(seen(page, plan, 2, (0.75, 0.68, 0.55)), plan, MARKS), first)
    assert np.mean([one.delta for one in later]) < 1.0 and later[0].delta < 2.0
    pale = printed(with_less_magenta(pdf, 0.8), tmp_path)
    off = differences(read_strip(seen(pale, plan, 3, (0.75, 0.68, 0.55)), plan, MARKS), first)
    worst = {one.patch for one in off[:3]}
    assert all("magenta" in patch or "grey" in patch for patch in worst)
    told = {one.patch: one for one in off}
    assert told["magenta"].delta > 4 and told["magenta"].lighter > 2
    assert all(told[patch].delta < 2 for patch in ("cyan", "yellow", "black", "half black"))


def test_the_strip_takes_the_ink_that_it_is_drawn_with(tmp_path: Path) -> None:
    """By Ghostscript's separations, against the areas by hand; all patches with a share of cyan together. Ghostscript
    fills every pixel that is touched: of 14 a side, up to one more."""
    plan = plan_of()
    assert plan.strip is not None
    bare = FrameContent({}, {}, [], plan, MarkRecipe(), "Strip")
    shares = coverage(colour_plate(bare), "strip").shares
    cyan = 25.0 * sum(inks[0] for _, inks in PATCHES[: plan.strip.count])
    assert cyan <= shares["Cyan"] * plan.width_mm * plan.length_mm <= cyan * (15 / 14) ** 2 * 1.01


def test_what_cannot_be_read_is_a_sentence(tmp_path: Path) -> None:
    plan = plan_of()
    page = printed(plate_of(plan), tmp_path)
    head = page[page.shape[0] // 2 :]
    with pytest.raises(JobError, match="code at the tail of K7Q2R9 is not in the picture; it shows K7Q2R9 at the head"):
        read_strip(head, plan, MARKS)
    with pytest.raises(JobError, match="is not in the picture; it shows"):
        read_strip(page, plan_of(code="M4X8TC"), MARKS)
    with pytest.raises(JobError, match="without a colour strip"):
        read_strip(page, plan_frame((0, 0, 300, 60), 400, MarkRecipe(), Reach(1616, 3200), "K7Q2R9", "K7Q2R9-1"), MARKS)
    covered = page.copy()
    x, y = plan.strip.places()[3][2:] if plan.strip else (0, 0)
    px = 200 / 25.4
    covered[int(page.shape[0] - (y + 3) * px) : int(page.shape[0] - (y + 2) * px), int(x * px) : int((x + 5) * px)] = (
        255
    )
    with pytest.raises(JobError, match="The patch yellow is not of one colour"):
        read_strip(covered, plan, MARKS)
    cut = page[:, int((x + 1) * px) :]
    with pytest.raises(JobError, match=r"outside the picture|not of one colour"):
        read_strip(np.ascontiguousarray(cut), plan, MARKS)
