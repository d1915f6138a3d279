"""The link to a printer with an open directory: a job is files renamed into it, the ticket last."""

import json
import os
from pathlib import Path
from typing import Any


def drop_job(directory: Path, name: str, files: dict[str, bytes], ticket: dict[str, Any]) -> None:
    """Put NAME and each suffix of `files`, then NAME.json into `directory`; a watcher that waits for the ticket sees
    whole files."""
    for suffix, content in (*files.items(), (".json", json.dumps(ticket).encode())):
        put_file(directory, f"{name}{suffix}", content)


def put_file(directory: Path, name: str, content: bytes) -> None:
    """Write under another name, then rename: whoever looks sees the whole file or none."""
    directory.mkdir(parents=True, exist_ok=True)
    unfinished = directory / f"{name}.unfinished"
    with open(unfinished, "wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    os.replace(unfinished, directory / name)
