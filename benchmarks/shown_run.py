"""How long the server takes to show a run of 102 pieces, and the statements that lists take with few rows and with
many.

python -m benchmarks.shown_run

The run is the demo's first; shown_ms is with the client of tests around it, at_server_ms without. The reference, timed
in the same process, is what the page held before outlines were kept in binary: reading the LINES.svg of each of its
designs and putting its outline together."""

import asyncio
import json
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from benchmarks.at_server import asked
from etiquette.core.finishing.piece_outlines import outline_of
from etiquette.demo.load import load_demo
from etiquette.server.app import create_app
from etiquette.server.mariadb import PrivateMariaDB
from etiquette.settings import Settings
from etiquette.stations import designs, runs
from etiquette.stations.shop import Shop
from tests.signed_in import key_of, signed_in

TIMES = 40


def milliseconds(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return 1000 * (time.perf_counter() - begun)


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

            app, key = create_app(shop), key_of(shop)
            ways: dict[str, Callable[[], float]] = {
                "shown_ms": lambda: milliseconds(lambda: client.get("/api/runs/1")),
                "at_server_ms": lambda: loop.run(asked(app, "/api/runs/1", key))[0],
                "reading_lines_twice_ms": lambda: 2 * milliseconds(read_again),
            }
            taken: dict[str, list[float]] = {name: [] for name in ways}
            with signed_in(shop, app=app) as client, asyncio.Runner() as loop:
                assert client.get("/api/runs/1").status_code == 200
                for _ in range(TIMES):  # in turn: a machine whose speed wavers slows all of them
                    for name, way in ways.items():
                        taken[name].append(way())
            print(json.dumps({name: round(statistics.median(times), 1) for name, times in taken.items()}))
            shop.database.close()
        finally:
            database.stop()


if __name__ == "__main__":
    main()
