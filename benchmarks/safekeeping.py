"""Copies of a large shop: `python -m benchmarks.safekeeping [--gigabytes 2]`.

A running demo shop gets that much in files (incompressible, 4 MB each, kept with its first job) and 100,000 edits of
one design. Timed: `etiquette backup` while it works, `etiquette restore` into an empty folder, `etiquette check`; and
what the Floor takes at the server (p50, p95 of 60 requests) before and during a backup. The reference, in the same run:
copying the same files and syncing them to the disk."""

import argparse
import json
import os
import secrets
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import httpx
from sqlalchemy import text
from sqlalchemy.orm import Session

from etiquette.server.mariadb import url_of_running
from etiquette.settings import Settings
from etiquette.stations.shop import Shop
from etiquette.store.models import KeptFile
from tests.let_in import let_in

FILE_BYTES, EDITS, AT_ONCE, ASKED = 4_000_000, 100_000, 5000, 60
PAGE = "/api/floor"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--gigabytes", type=float, default=2.0)
    wish = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="etq-safe-") as folder:
        data, copy, there = Path(folder) / "shop", Path(folder) / "copy.zip", Path(folder) / "restored"
        serving, client = _started(data)
        try:
            _filled(data, round(wish.gigabytes * 1e9 / FILE_BYTES))
            quiet = _asked(client, lambda: False)
            backing = subprocess.Popen(
                _command("backup", str(copy)), env=_home(data), stdout=subprocess.PIPE, text=True
            )
            begun = time.perf_counter()
            busy = _asked(client, lambda: backing.poll() is None)
            told = json.loads(backing.communicate()[0])
            print(
                f"backup while it works: {time.perf_counter() - begun:.1f} s, {copy.stat().st_size / 1e9:.2f} GB, "
                f"{told['rows']} rows, {told['files']} files"
            )
            print(f"{PAGE}, quiet: {quiet}; during the backup: {busy}")
        finally:
            serving.terminate()
            serving.wait(60)
        for what, home in ((("restore", str(copy)), there), (("check",), there)):
            begun = time.perf_counter()
            done = subprocess.run(_command(*what), env=_home(home), capture_output=True, text=True, check=True)
            print(
                f"{what[0]}: {time.perf_counter() - begun:.1f} s, {json.loads(done.stdout)['found'] or 'nothing wrong'}"
            )
        begun = time.perf_counter()
        shutil.copytree(data / "files", Path(folder) / "plain")
        os.sync()
        print(f"reference, the files copied and synced: {time.perf_counter() - begun:.1f} s")


def _command(*what: str) -> list[str]:
    return [sys.executable, "-m", "etiquette.cli", *what]


def _begun(data: Path, *what: str) -> subprocess.Popen[str]:
    return subprocess.Popen(_command(*what), env=_home(data), stdout=subprocess.PIPE, text=True)


def _home(data: Path) -> dict[str, str]:
    return {**os.environ, "ETIQUETTE_DATA": str(data)}


def _started(data: Path) -> tuple[subprocess.Popen[str], httpx.Client]:
    serving = subprocess.Popen(
        _command("serve", "--demo", "--port", "0"), env=_home(data), stdout=subprocess.PIPE, text=True
    )
    assert serving.stdout is not None
    return serving, let_in(serving.stdout.readline(), 60)  # the link works once


def _filled(data: Path, files: int) -> None:
    shop = Shop.opened(Settings(data, None), url_of_running(data / "mariadb"))
    for first in range(0, files, 10):
        shop.database.within(lambda session, first=first: _keep(shop, session, range(first, min(first + 10, files))))  # type: ignore[misc]
    insert = text(
        "INSERT INTO edit (subject, subject_id, words, forward, backward, undone, at, who) "
        "VALUES ('design', 1, 'offset', :forward, :backward, 0, NOW(), 'the shop')"
    )
    with shop.database.engine.begin() as connection:
        for first in range(0, EDITS, AT_ONCE):
            values = [{"forward": json.dumps({"offset_mm": n / 1000}), "backward": json.dumps({"offset_mm": 2.0})}
                      for n in range(first, first + AT_ONCE)]  # fmt: skip
            connection.execute(insert, values)
    shop.database.close()


def _keep(shop: Shop, session: Session, numbers: range) -> None:
    for number in numbers:
        sha = shop.blobs.put(session, secrets.token_bytes(FILE_BYTES), "application/octet-stream")
        session.add(KeptFile(job_id=1, name=f"scan {number}.bin", content_sha=sha, size=FILE_BYTES))


def _asked(client: httpx.Client, goes_on: Callable[[], bool]) -> str:
    """The times of one page, asked ASKED times, and then for as long as it `goes_on`."""
    times = []
    for _ in range(5):
        client.get(PAGE).raise_for_status()
    while len(times) < ASKED or goes_on():
        begun = time.perf_counter()
        client.get(PAGE).raise_for_status()
        times.append((time.perf_counter() - begun) * 1000)
        time.sleep(0.05)
    return f"p50 {statistics.median(times):.0f} ms, p95 {statistics.quantiles(times, n=20)[-1]:.0f} ms of {len(times)}"


if __name__ == "__main__":
    main()
