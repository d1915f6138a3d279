"""How long the server takes for the Floor, the bar and every list with the work of years in the database, and how large
their answers are.

python -m benchmarks.floor_at_scale [--open 1000]

10,000 jobs of 30,000 designs, 2,000 runs of 300 pieces, all printed, `--open` of the jobs not handed over yet. Each
page is asked 40 times at the server, without a client in the same process; p95 in milliseconds. The reference, timed in
turn with each of them: reading the row of one job with its three designs and nothing else."""

import argparse
import asyncio
import json
import random
import statistics
import tempfile
import time
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, select, text

from benchmarks.at_server import asked
from etiquette.demo.load import load_demo
from etiquette.server.app import create_app
from etiquette.server.mariadb import PrivateMariaDB
from etiquette.server.memory import stay
from etiquette.settings import Settings
from etiquette.stations.print.tasks import make_plates
from etiquette.stations.schemas import OfRun
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Job
from tests.signed_in import key_of

JOBS, DESIGNS, RUNS, PIECES = 10_000, 3, 2_000, 300
TIMES = 40
AT_ONCE = 500
HANDED = (
    "INSERT INTO handover (id, job_id, at, who) SELECT id, id, NOW(), 'the shop' FROM job WHERE closed_at IS NOT NULL"
)
HANDED_ITEMS = """
    INSERT INTO handover_item (handover_id, design_id, count)
    SELECT job.id, design.id, 20 FROM job JOIN design ON design.job_id = job.id WHERE closed_at IS NOT NULL
"""
PAGES = (
    "/api/bar",
    "/api/floor",
    "/api/jobs",
    "/api/jobs?text=swap",
    "/api/jobs?month=2026-12",
    "/api/find?text=swap%204",
    "/api/designs",
    "/api/designs?text=label%209",
    "/api/runs",
    "/api/runs?text=19",
    "/api/sheets",
    "/api/jobs/5000",
    "/api/jobs/5000/quotes",
    "/api/jobs/5000/spent",
    "/api/records",
    "/api/records?text=run%2019",
    "/api/records/months",
    "/api/shelf",
)


def fill(shop: Shop, still_open: int) -> None:
    """Rows like the demo's own, written in thousands."""
    chosen, today = random.Random(7), date.today()
    with shop.database.engine.begin() as connection:
        design = json.loads(connection.execute(text("SELECT document FROM design ORDER BY id LIMIT 1")).scalar_one())
        run = json.loads(connection.execute(text("SELECT document FROM run ORDER BY id LIMIT 1")).scalar_one())
        plate = connection.execute(text("SELECT * FROM plate LIMIT 1")).mappings().one()
        first_job = connection.execute(text("SELECT MAX(id) FROM job")).scalar_one() + 1
        first_design = connection.execute(text("SELECT MAX(id) FROM design")).scalar_one() + 1
        placements = run["layout"]["placements"] if run.get("layout") else []
    jobs, designs, handed = [], [], []
    for number in range(JOBS):
        is_open = number >= JOBS - still_open
        days = chosen.randint(-3, 20) if is_open else -chosen.randint(1, 700)
        due = today + timedelta(days=days)
        jobs.append({"id": first_job + number, "name": f"Swap {number}", "customer": f"Customer {number % 400}",
                     "due": due, "closed_at": None if is_open else due, "created_at": due})  # fmt: skip
        for of in range(DESIGNS):
            own = first_design + number * DESIGNS + of
            document = {**design, "name": f"Label {number}.{of}", "due_count": 20, "ready": not is_open or of < 2}
            designs.append({"id": own, "job": first_job + number, "document": json.dumps(document), "at": due})
            handed.append({"job": first_job + number, "design": own, "closed": not is_open})
    _write(shop.database.engine, "INSERT INTO job (id, name, customer, due, closed_at, created_at, notes, version) "
           "VALUES (:id, :name, :customer, :due, :closed_at, :created_at, '', 1)", jobs)  # fmt: skip
    _write(shop.database.engine, "INSERT INTO design (id, job_id, document, revision, created_at) "
           "VALUES (:id, :job, :document, 1, :at)", designs)  # fmt: skip
    runs, items, plates, on_plates, sheets = [], [], [], [], []
    for number in range(RUNS):
        own = [first_design + (number * 15 + of) % (JOBS * DESIGNS) for of in range(15)]
        document = {**run, "name": f"Run {number}", "items": [{"design_id": one, "count": 20} for one in own]}
        if placements:
            many = [placements[of % len(placements)] for of in range(PIECES)]
            document["layout"] = {**run["layout"], "placements": many}
        old = number < RUNS - 20
        runs.append({"id": 1000 + number, "document": json.dumps(document), "state": "cut" if old else "film"})
        items += [{"run": 1000 + number, "design": one} for one in own]
        summary = json.loads(plate["summary"]) | {"placed": [one for one in own for _ in range(20)], "pieces": PIECES}
        plates.append({**{name: plate[name] for name in ("pdf_sha", "lines_sha", "preview_sha")}, "id": 1000 + number,
                       "run": 1000 + number, "key": f"{number}", "summary": json.dumps(summary)})  # fmt: skip
        on_plates += [{"run": 1000 + number, "design": one} for one in own]
        sheets.append({"id": 1000 + number, "name": f"BENCH{number}-1", "state": "cut" if old else "printed",
                       "good": PIECES - number % 7 if old else None, "at": today - timedelta(days=(RUNS - number) // 5),
                       "pieces": PIECES})  # fmt: skip
    engine = shop.database.engine
    _write(engine, "INSERT INTO run (id, document, state, revision, created_at) "
           "VALUES (:id, :document, :state, 1, NOW())", runs, 50)  # fmt: skip
    _write(engine, "INSERT INTO run_item (run_id, design_id, count) VALUES (:run, :design, 20)", items)
    _write(engine, "INSERT INTO plate (id, run_id, `key`, pdf_sha, lines_sha, preview_sha, summary, created_at) VALUES "
           "(:id, :run, :key, :pdf_sha, :lines_sha, :preview_sha, :summary, NOW())", plates, 100)  # fmt: skip
    _write(engine, "INSERT INTO plate_item (plate_id, design_id, count) VALUES (:run, :design, 20)", on_plates)
    _write(engine, "INSERT INTO sheet (id, plate_id, name, state, pieces, good, printed_at, at, who) VALUES "
           "(:id, :id, :name, :state, :pieces, :good, :at, :at, 'the shop')", sheets)  # fmt: skip
    _write(engine, "INSERT INTO roll_entry (roll_id, length_mm, reason, reference, at, who) VALUES "
           "(1, -900, 'printed', CONCAT('sheet ', :id), :at, 'the shop')", sheets)  # fmt: skip
    with engine.begin() as connection:
        connection.execute(text(HANDED))
        connection.execute(text(HANDED_ITEMS))
        connection.execute(text("ANALYZE TABLE job, design, run, plate, sheet, run_item, plate_item"))


def _write(engine: Engine, statement: str, rows: list[dict[str, Any]], at_once: int = AT_ONCE) -> None:
    for first in range(0, len(rows), at_once):
        with engine.begin() as connection:
            connection.execute(text(statement), rows[first : first + at_once])


def reference(shop: Shop) -> float:
    begun = time.perf_counter()
    with shop.database.engine.connect() as connection:
        connection.execute(select(Job.__table__).where(Job.id == 5000)).all()
        connection.execute(select(Design.__table__).where(Design.job_id == 5000)).all()
    return 1000 * (time.perf_counter() - begun)


def p95(times: list[float]) -> float:
    return statistics.quantiles(times, n=20)[-1]


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--open", type=int, default=1000)
    still_open = parser.parse_args().open
    with tempfile.TemporaryDirectory() as folder:
        database = PrivateMariaDB(Path(folder) / "database", durable=False)
        database.start()
        try:
            shop = Shop.opened(Settings(Path(folder) / "data", database.url), database.url)
            shop.database.migrate()
            load_demo(shop, with_devices=False)
            make_plates.work(shop, OfRun(run_id=2), lambda *_: True).published(shop.database)
            fill(shop, still_open)
            app, key = create_app(shop), key_of(shop)
            stay()
            with asyncio.Runner() as runner:
                figures = {}
                for path in PAGES:
                    asks = [(runner.run(asked(app, path, key)), reference(shop)) for _ in range(TIMES + 2)][2:]
                    times = [ms for (ms, _), _ in asks]
                    figures[path] = {
                        "p95_ms": round(p95(times), 1),
                        "median_ms": round(statistics.median(times), 1),
                        "kB": round(asks[-1][0][1] / 1000, 1),
                        "reference_ms": round(statistics.median([one for _, one in asks]), 2),
                    }
                    print(path, json.dumps(figures[path]), flush=True)
        finally:
            database.stop()


if __name__ == "__main__":
    main()
