"""How long the server takes to show a run of 102 pieces, and the statements that lists take with few rows and with
many.

python -m benchmarks.shown_run

The run is the demo's first; the reference, timed in the same process, is what the page held before outlines were kept
in binary: reading the LINES.svg of each of its designs and putting its outline together."""

import json
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from fastapi.testclient import TestClient

from etiquette.core.finishing.piece_outlines import outline_of
from etiquette.demo.load import load_demo
from etiquette.server.app import create_app
from etiquette.server.mariadb import PrivateMariaDB
from etiquette.settings import Settings
from etiquette.stations import designs, runs
from etiquette.stations.shop import Shop

TIMES = 40


def milliseconds(work: Callable[[], object]) -> float:
    taken = []
    for _ in range(TIMES):
        begun = time.perf_counter()
        work()
        taken.append(1000 * (time.perf_counter() - begun))
    return statistics.median(taken)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        database = PrivateMariaDB(Path(folder) / "database", durable=False)
        database.start()
        try:
            shop = Shop.opened(Settings(Path(folder) / "data", database.url), database.url)
            shop.database.migrate()
            load_demo(shop, with_devices=False)
            state = shop.database.within(lambda session: runs.state_of(shop, session, 1))

            def read_again() -> None:
                for design in state.designs.values():
                    file = designs.lines_of(shop, design)
                    assert file is not None
                    outline_of(file.lines)

            with TestClient(create_app(shop), base_url="http://127.0.0.1:8700") as client:
                assert client.get("/api/runs/1").status_code == 200
                shown = milliseconds(lambda: client.get("/api/runs/1"))
            print(
                json.dumps(
                    {"shown_ms": round(shown, 1), "reading_lines_twice_ms": round(2 * milliseconds(read_again), 1)}
                )
            )
            shop.database.close()
        finally:
            database.stop()


if __name__ == "__main__":
    main()
