"""How near a program that nobody here wrote draws what a cutter is told for the sheet of the demo to its lines.

    python benchmarks/drawn_by_hp2xx.py

The demo is started, the knives of its cutter are set to follow the line itself (no offset), the cut file of the sheet
that waits there is written at the Bench and drawn by hp2xx (Debian). Asked for: no point of either drawing further than
0.05 mm from the other (Hausdorff). Takes half a minute."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import httpx
import numpy as np
import shapely
import svgelements
from shapely import LineString, MultiLineString

sys.path.insert(0, str(Path(__file__).parents[1]))  # hp2xx is asked as in the tests

from tests.let_in import let_in
from tests.outside.test_plotters import drawn_by_hp2xx

STEP_MM = 0.05


def our_lines(client: httpx.Client, plate: int) -> MultiLineString:
    """The finish lines of a plate in mm, y up, their lower left corner at (0, 0)."""
    drawn = []
    for line in client.get(f"/api/plates/{plate}/lines").json():
        for part in svgelements.Path(line["d"]).as_subpaths():
            path = svgelements.Path(part)
            count = max(2, int(path.length(error=1e-4) / STEP_MM))
            drawn.append(path.npoint(np.linspace(0, 1, count)) * (1, -1))
    low = np.vstack(drawn).min(axis=0)
    return MultiLineString([LineString(points - low) for points in drawn])


def furthest(points: MultiLineString, lines: MultiLineString) -> float:
    """The largest distance from the corners of the one to the lines of the other."""
    parts = [np.asarray(line.coords) for line in lines.geoms]
    segments = shapely.linestrings(np.concatenate([np.stack([one[:-1], one[1:]], axis=1) for one in parts]))
    corners = shapely.points(shapely.get_coordinates(points))
    _, away = shapely.STRtree(segments).query_nearest(corners, return_distance=True, all_matches=False)
    return float(away.max())


def main() -> None:
    with tempfile.TemporaryDirectory() as data:
        command = [sys.executable, "-m", "etiquette.cli", "serve", "--demo", "--port", "8970"]
        environment = {**os.environ, "ETIQUETTE_DATA": f"{data}/data"}
        with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True) as process:
            assert process.stdout is not None
            try:
                client = let_in(process.stdout.readline())
                for card in client.get("/api/shelf").json()["tool_card"]:
                    asked = {"version": card["version"], "changes": {"offset_mm": 0.0, "overcut_mm": 0.0}}
                    client.post(f"/api/shelf/tool_card/{card['id']}", json=asked).raise_for_status()
                (sheet,) = client.get("/api/sheets").json()
                client.put(f"/api/print/{sheet['run_id']}/plate").raise_for_status()
                plate = client.get(f"/api/print/{sheet['run_id']}").json()["plates"][0]["id"]
                names = client.post(f"/api/bench/{sheet['id']}/files", json={"form": "plt"}).json()["names"]
                text = client.get(f"/api/bench/files/{names[0]}").text
                ours, theirs = our_lines(client, plate), drawn_by_hp2xx(text, Path(data))
            finally:
                process.terminate()
    print(f"{sheet['run_name']}: {len(ours.geoms)} lines, {ours.length / 1000:.1f} m, as told in {len(text)} bytes")
    away = max(furthest(ours, theirs), furthest(theirs, ours))
    print(f"drawn by hp2xx: at most {away:.4f} mm from them (asked for: 0.05)")


if __name__ == "__main__":
    main()
