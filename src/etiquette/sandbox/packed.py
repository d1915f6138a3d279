"""A JOB.zip from outside, unpacked behind the door."""

import tempfile
import zipfile
from pathlib import Path
from typing import Any

from etiquette.core.errors import JobError
from etiquette.files.job_file import ART, FILES, JOB, SHELF, TABLES
from etiquette.sandbox.door import Limits, ask

LIMITS = Limits(seconds=60.0, bytes=1 << 30)
MOST_FILES = 10_000
MOST_BYTES = 800 << 20
A_PIECE = 1 << 20


def unpacked(content: bytes, name: str) -> dict[str, bytes]:
    """What a JOB.zip holds that is read again, by its name in it. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-job-") as folder:
        (Path(folder) / "packed").write_bytes(content)
        said = ask("unpack", Path(folder), {"name": name}, LIMITS, name)
        return {held: (Path(folder) / f"file-{number}").read_bytes() for number, held in enumerate(said["names"])}


# --- the child


def unpack(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    """Art, files of the job and what describes them; print files are made again, and left where they are."""
    name, left = note["name"], MOST_BYTES
    taken: list[str] = []
    try:
        with zipfile.ZipFile(folder / "packed") as packed:
            inside = packed.infolist()
            if len(inside) > MOST_FILES:
                raise _bad(f"It holds {len(inside)} files; the most is {MOST_FILES}.", name)
            for one in inside:
                if one.is_dir() or not (
                    one.filename in (JOB, SHELF) or one.filename.startswith((f"{ART}/", f"{FILES}/", f"{TABLES}/"))
                ):
                    continue
                if one.filename in taken:
                    raise _bad(f"Two files in it are called {one.filename}.", name)
                with packed.open(one) as file, (folder / f"file-{len(taken)}").open("wb") as out:
                    while piece := file.read(A_PIECE):
                        left -= len(piece)
                        if left < 0:
                            raise _bad(f"It holds more than {MOST_BYTES >> 20} MB.", name)
                        out.write(piece)
                taken.append(one.filename)
    except (zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError, RuntimeError, EOFError, OSError) as error:
        raise _bad("It is damaged, or no JOB.zip at all.", f"{name} ({type(error).__name__})") from error
    if JOB not in taken:
        raise _bad(f"There is no {JOB} in it.", name)
    return {"names": taken}


def _bad(what: str, where: str) -> JobError:
    return JobError(f"The job cannot be taken in. {what}", where, "Save the job again where it came from.")
