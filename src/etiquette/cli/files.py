"""What the commands share: files in, files out, one summary."""

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from etiquette.core.errors import JobError

Out = Annotated[Path, typer.Option("-o", "--out", help="Where to write the result.")]


def read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise JobError(f"The file cannot be read: {error.strerror}.", str(path), "Check its name and folder.") from None


def write(path: Path, content: str | bytes) -> None:
    try:
        path.write_bytes(content.encode() if isinstance(content, str) else content)
    except OSError as error:
        raise JobError(f"The result cannot be written: {error.strerror}.", str(path), "Choose another place.") from None


def say(summary: dict[str, Any]) -> None:
    print(json.dumps(summary, ensure_ascii=False))
