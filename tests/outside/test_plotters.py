"""What a cutter is told, drawn by a program nobody here wrote (`hp2xx`, Debian), and told over a serial line.

The plotter behind the line takes 960 bytes a second and has a buffer of 1,024 (9,600 baud; HP 7475A manual)."""

import re
import subprocess
from pathlib import Path

import numpy as np
from shapely import LineString, MultiLineString

from etiquette.core.cutting.motion import plan_motion
from etiquette.core.cutting.profiles import PROFILES, ToolCard
from etiquette.core.cutting.writers import hpgl
from etiquette.core.finishing.lines import FinishLine
from etiquette.core.geometry.paths import Path as Outline
from etiquette.devices.drivers import cutter_at
from etiquette.devices.hpgl_cutter import as_program
from tests.strangers import SlowPlotter

PLAIN = {"kiss": ToolCard(overcut_mm=0.0, speed_mm_s=400)}
MM_A_POINT = 25.4 / 72


def badges() -> list[FinishLine]:
    """Wavy rings side by side, of the sizes of stickers."""
    lines = []
    for number in range(6):
        turn = np.linspace(0, 2 * np.pi, 60, endpoint=False)
        radius = 20 + 3 * np.sin((number + 3) * turn)
        ring = np.column_stack([radius * np.cos(turn), radius * np.sin(turn)]) + (
            30 + 60 * (number % 3),
            30 + 60 * (number // 3),
        )
        lines.append(FinishLine("kiss", Outline.from_points(ring)))
    return lines


def drawn_by_hp2xx(text: str, folder: Path) -> MultiLineString:
    """Its drawing in mm, y up, its lower left corner at (0, 0)."""
    (folder / "cut.plt").write_text(text)
    subprocess.run(
        ["hp2xx", "-q", "-t", "-m", "svg", "-f", str(folder / "cut.svg"), str(folder / "cut.plt")],
        check=True,
        capture_output=True,
    )
    lines = []
    for data in re.findall(r'<path d="([^"]*)"', (folder / "cut.svg").read_text()):
        figures = np.array(re.findall(r"-?\d+\.\d+", data), dtype=float).reshape(-1, 2)
        if len(figures) > 1:
            lines.append(figures * (MM_A_POINT, -MM_A_POINT))
    low = np.vstack(lines).min(axis=0)
    return MultiLineString([LineString(line - low) for line in lines])


def test_hp2xx_draws_our_lines(tmp_path: Path) -> None:
    lines = badges()
    motion = plan_motion(lines, PROFILES["knife"], PLAIN)
    theirs = drawn_by_hp2xx(hpgl(motion, PROFILES["knife"], PLAIN), tmp_path)
    ours = [line.path.flatten(0.001) for line in lines]
    ours = [np.vstack([points, points[:1]]) for points in ours]
    low = np.vstack(ours).min(axis=0)
    wanted = MultiLineString([LineString(points - low) for points in ours])
    assert theirs.hausdorff_distance(wanted) <= 0.05


def test_a_slow_plotter_with_a_small_buffer_is_never_overrun(tmp_path: Path) -> None:
    motion = plan_motion(badges()[:2], PROFILES["knife"], PLAIN)
    text = hpgl(motion, PROFILES["knife"], PLAIN)
    with SlowPlotter() as plotter, cutter_at(f"serial:{plotter.path}?baud=9600&flow=none", "Plotter") as cutter:
        program = as_program(text)
        assert cutter.run(program, lambda *_: True) == len(program)
        at = cutter.position()
    assert plotter.overruns == 0 and plotter.most_held <= 1024
    assert plotter.received.decode() == "".join(one.text for one in program)
    assert (at.x, at.y) == (0.0, 0.0)  # the file leads the tool home at its end


def test_the_same_without_heed_of_its_buffer_would_overrun_it() -> None:
    """So that the counter is known to count."""
    with SlowPlotter() as plotter, open(plotter.path, "wb", buffering=0) as line:
        line.write(b"PU0,0;" * 400)
        plotter.wait_for(1200)
    assert plotter.overruns > 0
