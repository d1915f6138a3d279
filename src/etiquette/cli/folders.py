"""Folders that commands read from and write into."""

from pathlib import Path

from etiquette.core.errors import JobError


def read_beside(folder: Path, name: str) -> bytes:
    try:
        return (folder / name).read_bytes()
    except OSError as error:
        raise JobError(
            f"The file cannot be read: {error.strerror}.", name, "Check its name; paths start at the folder of the run."
        ) from None


def make_folder(out: Path) -> None:
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise JobError(f"The folder cannot be made: {error.strerror}.", str(out), "Choose another place.") from None


def write_file(file: Path, content: bytes) -> str:
    try:
        file.write_bytes(content)
    except OSError as error:
        raise JobError(f"The result cannot be written: {error.strerror}.", str(file), "Choose another place.") from None
    return file.name
