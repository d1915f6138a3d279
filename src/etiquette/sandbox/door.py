"""The door for foreign bytes: a job is done on a folder by a limited child of its own, forked from a warm parent.

The parent is Python's own fork server: it holds the readers' modules and opens no foreign file, so a child is there in
milliseconds instead of seconds. Whatever a hostile file does to a decoder, it does it in the child, which ends with it,
and behind walls (sandbox/walls.py): no network, and no file but its own."""

import contextlib
import ctypes
import importlib
import json
import mimetypes
import multiprocessing
import os
import resource
import signal
import tempfile
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from multiprocessing.context import ForkServerContext, ForkServerProcess
from pathlib import Path
from typing import Any

from etiquette.core.errors import JobError
from etiquette.sandbox.walls import stand

WATCH_SECONDS = 0.05
KEPT_VARIABLES = (
    "PATH", "LANG", "LC_", "TZ", "LD_LIBRARY_PATH", "PYTHON", "NUMBA_", "OMP_", "OPENBLAS_", "MKL_", "FONTCONFIG_",
)  # fmt: skip
"""What variables of the environment begin with that a reader needs. The keys to a bucket are not among them."""
MOST_READERS = 2
"""Children at work at once, of one process: two heavy files fill a small machine's memory, more would kill it."""
WALL_TIMES = 6.0
"""How much longer than its processor time a child may take by the clock: on a machine that is busy with other work it
waits."""
JOBS = {
    "take in": "etiquette.sandbox.reading:take_in",
    "arrange": "etiquette.sandbox.reading:arrange",
    "pixels": "etiquette.sandbox.reading:pixels",
    "cut up": "etiquette.sandbox.reading:cut_up",
    "postscript": "etiquette.sandbox.reading:postscript",
    "separate": "etiquette.sandbox.reading:separate",
    "preview": "etiquette.sandbox.drawing:draw_preview",
    "part": "etiquette.sandbox.drawing:draw_part",
    "plates": "etiquette.sandbox.plates:make",
    "plates seen": "etiquette.sandbox.plates:see",
    "web pair": "etiquette.sandbox.web_pairs:make",
    "web rows": "etiquette.sandbox.web_pairs:fill",
    "look": "etiquette.sandbox.looks:read",
    "paper": "etiquette.sandbox.papers:lay_out",
    "unpack": "etiquette.sandbox.packed:unpack",
    "table": "etiquette.sandbox.tables:read",
    "font": "etiquette.sandbox.fonts:read",
    "braille": "etiquette.sandbox.braille:read",
    "codes seen": "etiquette.sandbox.codes:look",
    "read codes": "etiquette.sandbox.codes:read",
    "profile": "etiquette.sandbox.profiles:read",
    "strip": "etiquette.sandbox.strips:read",
    "picture seen": "etiquette.sandbox.proofing:draw_picture",
    "proof": "etiquette.sandbox.proofing:draw_proof",
    "colours": "etiquette.sandbox.proofing:place_colours",
}
"""What a child can be asked to do, and where it is written; a job gets its folder and a note, and returns what it
says."""

FORK: ForkServerContext = multiprocessing.get_context("forkserver")
FORK.set_forkserver_preload(["etiquette.sandbox.warm"])
PLACES = threading.BoundedSemaphore(MOST_READERS)
ANSWER = "answer.json"
_PR_SET_PDEATHSIG = 1
_LIBC = ctypes.CDLL(None, use_errno=True)


@dataclass(frozen=True)
class Limits:
    """What a child may use: seconds of processor time, and bytes of memory with all that it starts."""

    seconds: float
    bytes: int


def ask(
    job: str,
    folder: Path,
    note: Mapping[str, Any],
    limits: Limits,
    name: str,
    reads: Sequence[Path] = (),
    meanwhile: Callable[[], None] = lambda: None,
) -> dict[str, Any]:
    """Let a child do `job` on `folder`, and return what it says. `name`: what the file is called, for sentences;
    `reads`: files outside the folder that it may read; `meanwhile` is called again and again while it works.

    Raises JobError: what the job raises, or that a limit was passed.
    """
    with PLACES:
        child = FORK.Process(target=_live, args=(str(folder), job, dict(note), limits, name, list(reads)))
        child.start()
        try:
            _watch(child, name, limits, meanwhile)
        finally:
            end_group(child)
    if not (folder / ANSWER).exists():
        raise without_answer(child.exitcode, name)
    return answer_in(folder)


def answer_in(folder: Path) -> dict[str, Any]:
    """What a child has said. Raises JobError: what it raised."""
    answer: dict[str, Any] = json.loads((folder / ANSWER).read_text())
    if "error" in answer:
        raise JobError(**answer["error"])
    return answer


def _watch(child: ForkServerProcess, name: str, limits: Limits, meanwhile: Callable[[], None]) -> None:
    """Wait for `child`; raises JobError when it takes too long or too much memory."""
    deadline = time.monotonic() + limits.seconds * WALL_TIMES
    while child.is_alive():
        look_after(child, name, limits, deadline)
        meanwhile()
        child.join(WATCH_SECONDS)
    meanwhile()


def look_after(child: ForkServerProcess, name: str, limits: Limits, deadline: float) -> None:
    """Raises JobError when `child` works past the `deadline` of `time.monotonic`, or takes too much memory."""
    if time.monotonic() > deadline or memory_of(child.pid or 0) > limits.bytes:
        raise JobError(
            "The file takes too long or too much memory to read.",
            name,
            "Simplify it, make it smaller, or save it as a plain picture.",
        )


def without_answer(ended: int | None, name: str) -> JobError:
    """What is said of a child that left no answer, by how it `ended`: with a code, or by a signal (negative)."""
    if ended == -signal.SIGKILL:  # not by its own limit, and _watch would have said so: the system, or somebody
        return JobError(
            "The reading of this file was ended from outside.",
            name,
            "Try it again; if it ends in the same way, the machine has too little memory for it.",
        )
    if ended in (0, -signal.SIGXCPU):  # it got no more memory, or its processor time was over
        return JobError(
            "The file could not be read within the limits set for art.",
            name,
            "Save it again from the program it came from, or make it smaller.",
        )
    return JobError("The file breaks what reads it.", name, "Save it again from the program it came from.")


def end_group(child: ForkServerProcess) -> None:
    """End whatever the child started, too."""
    for end in (os.killpg, os.kill):  # alone as well, should it not have a group of its own yet
        with contextlib.suppress(ProcessLookupError):
            end(child.pid or 0, signal.SIGKILL)
    child.join()


def memory_of(pid: int) -> int:
    """Bytes in use by a process and all that it started. Read from /proc itself: it is asked twenty times a second,
    and psutil looks through every process of the machine for the children of one (1.9 ms instead of 0.06 with 90
    processes)."""
    try:
        own = int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
        children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
    except (FileNotFoundError, ProcessLookupError, IndexError):
        return 0
    return own + sum(memory_of(int(child)) for child in children)


# --- the child


def bare_environment(around: Mapping[str, str]) -> dict[str, str]:
    """What a child, and a program that it starts, finds of the variables that its parent has."""
    return {name: value for name, value in around.items() if name.startswith(KEPT_VARIABLES)}


def _live(folder: str, job: str, note: dict[str, Any], limits: Limits, name: str, reads: list[Path]) -> None:
    """The whole life of a child: limits, the job, the answer."""
    go_behind(folder, limits, reads)
    leave_answer(Path(folder), job, note, name)


def go_behind(folder: str, limits: Limits, reads: Sequence[Path], jobs: int = 1) -> None:
    """From here on this process is limited (as for one job, and with processor time for so many at the most), walled in
    and on its own."""
    os.setsid()
    _LIBC.prctl(_PR_SET_PDEATHSIG, signal.SIGKILL, 0, 0, 0)
    _limit(limits, jobs)
    os.chdir(folder)
    nothing = os.open(os.devnull, os.O_RDWR)
    for standard in (0, 1, 2):
        os.dup2(nothing, standard)
    # librsvg looks through all fonts of the machine when it finds no cache of them: half a second a file
    fonts = Path(tempfile.gettempdir()) / "etq-fonts"
    fonts.mkdir(exist_ok=True)
    own = {"XDG_CACHE_HOME": str(fonts), "HOME": folder, "TMPDIR": folder}
    bare = bare_environment(os.environ)
    os.environ.clear()
    os.environ.update({**bare, **own})
    tempfile.tempdir = folder
    mimetypes.knownfiles = []  # lists of the machine that libraries ask for as they are imported: outside the walls
    stand([Path(folder), fonts], reads)


def leave_answer(folder: Path, job: str, note: dict[str, Any], name: str) -> bool:
    """Leave an answer in the folder; False: there was no memory for one."""
    answer = _answer(folder, job, note, name)
    if answer is not None:
        new = folder / "answer.new"
        new.write_text(json.dumps(answer))
        new.replace(folder / ANSWER)
    return answer is not None


def _answer(folder: Path, job: str, note: dict[str, Any], name: str) -> dict[str, Any] | None:
    try:
        module, function = JOBS[job].split(":")
        said: dict[str, Any] = getattr(importlib.import_module(module), function)(folder, note)
        return said
    except JobError as error:
        return {"error": {"what": error.what, "where": error.where, "do": error.do}}
    except MemoryError:
        return None
    except Exception as error:  # whatever a decoder did: the parent says it in words, and nothing of it stays
        do = f"Save it again from the program it came from ({type(error).__name__}: {error})."
        return {"error": {"what": "The file cannot be read.", "where": name, "do": do[:300]}}


def _limit(limits: Limits, jobs: int = 1) -> None:
    seconds = max(1, int(limits.seconds))
    # past the first it is told, by a signal of its own
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds * jobs + 1))
    resource.setrlimit(resource.RLIMIT_FSIZE, (2 << 30, 2 << 30))
    resource.setrlimit(resource.RLIMIT_NOFILE, (256, 256))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    # libraries reserve far more than they use; what is used is watched from outside
    resource.setrlimit(resource.RLIMIT_AS, (12 << 30, 12 << 30))
