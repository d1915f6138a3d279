"""Art from outside is read in a process of its own, with limits on processor time, memory and wall time.

The child gets a file and writes the picture as Etiquette keeps it: 8-bit sRGB with alpha as PNG, and a note. Whatever a
hostile file does to a decoder, it does it there.
"""

import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

from etiquette.core.errors import JobError

CPU_SECONDS = 60
WALL_SECONDS = 90.0
MOST_MEMORY_BYTES = 4 << 30
"""200 million pixels of four bytes, the decoder's own copy, and room for one conversion."""
WATCH_SECONDS = 0.05
THUMB_PIXELS = 480


@dataclass(frozen=True)
class ArtRead:
    """The picture as PNG, a thumbnail as PNG, its size in pixels, and dots an inch if the file says so."""

    picture: bytes
    thumb: bytes
    width_px: int
    height_px: int
    dpi: float | None


def read_art(content: bytes, name: str) -> ArtRead:
    """Read `content` in a limited child. Raises JobError: what `read_picture` raises, or that a limit was passed."""
    with tempfile.TemporaryDirectory(prefix="etq-art-") as folder:
        source = Path(folder) / "art"
        source.write_bytes(content)
        child = subprocess.Popen(
            [sys.executable, "-m", "etiquette.work.art_reader", folder, name],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            stdin=subprocess.DEVNULL,
            env={
                "PATH": os.environ.get("PATH", ""),
                "PYTHONPATH": os.environ.get("PYTHONPATH", ""),
                "OPENBLAS_NUM_THREADS": "1",
            },
            preexec_fn=_limit,
        )
        _watch(child, name)
        out = child.stdout.read() if child.stdout else b""
        if child.returncode not in (0, 1) or not out:
            raise JobError(
                "The file could not be read within the limits set for art.",
                name,
                "Save it again from the program it came from, or make it smaller.",
            )
        note = json.loads(out)
        if "error" in note:
            raise JobError(**note["error"])
        return ArtRead(
            (Path(folder) / "picture.png").read_bytes(),
            (Path(folder) / "thumb.png").read_bytes(),
            note["width_px"],
            note["height_px"],
            note["dpi"],
        )


def _limit() -> None:
    resource.setrlimit(resource.RLIMIT_CPU, (CPU_SECONDS, CPU_SECONDS))
    resource.setrlimit(resource.RLIMIT_FSIZE, (2 << 30, 2 << 30))
    resource.setrlimit(resource.RLIMIT_NOFILE, (64, 64))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


def _watch(child: "subprocess.Popen[bytes]", name: str) -> None:
    """Wait for `child`; end it when it takes too long or too much memory."""
    deadline = time.monotonic() + WALL_SECONDS
    while child.poll() is None:
        if time.monotonic() > deadline or _memory(child.pid) > MOST_MEMORY_BYTES:
            child.kill()
            child.wait()
            raise JobError(
                "The file takes too long or too much memory to read.",
                name,
                "Make it smaller, or save it as a plain PNG.",
            )
        time.sleep(WATCH_SECONDS)


def _memory(pid: int) -> int:
    try:
        return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
    except (FileNotFoundError, ProcessLookupError, IndexError):
        return 0


def main() -> int:
    """The child: read, convert, write, say."""
    from PIL import Image

    from etiquette.core.artwork.raster import read_picture

    folder, name = Path(sys.argv[1]), sys.argv[2]
    try:
        picture = read_picture((folder / "art").read_bytes(), name)
    except JobError as error:
        print(json.dumps({"error": {"what": error.what, "where": error.where, "do": error.do}}))
        return 1
    image = Image.fromarray(picture.pixels)
    image.save(folder / "picture.png", compress_level=3)
    image.thumbnail((THUMB_PIXELS, THUMB_PIXELS))
    image.save(folder / "thumb.png")
    print(json.dumps({"width_px": picture.width_px, "height_px": picture.height_px, "dpi": picture.dpi}))
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
