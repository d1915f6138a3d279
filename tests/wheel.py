"""Etiquette as a stranger gets it: its wheel in an empty environment."""

import os
import shutil
import subprocess
import sys
import sysconfig
import venv
from pathlib import Path

from numba.core.caching import _CacheLocator

ROOT = Path(__file__).parents[1]
KERNELS = ("planning", "cutting")


def installed(folder: Path) -> Path:
    """Builds the wheel and installs it into an environment of its own, which finds its dependencies where this one has
    them; returns the command `etiquette`."""
    source = folder / "source"
    source.mkdir(parents=True)
    for name in (
        "src",
        "standins",
        "pyproject.toml",
        "setup.py",
        "README.md",
    ):  # building leaves things beside the sources
        target = shutil.copytree if (ROOT / name).is_dir() else shutil.copy2
        target(ROOT / name, source / name)
    shutil.copytree(ROOT / "front" / "dist", source / "front" / "dist")
    _run(sys.executable, "-m", "build", "--wheel", "--no-isolation", "--outdir", str(folder), str(source))
    (wheel,) = folder.glob("*.whl")
    shutil.rmtree(source)
    environment = folder / "environment"
    venv.create(environment, with_pip=False, symlinks=True)
    python = environment / "bin" / "python"
    _run(sys.executable, "-m", "pip", "--python", str(python), "install", "--no-index", "--no-deps", str(wheel))
    (packages,) = (environment / "lib").glob("python*/site-packages")
    (packages / "dependencies.pth").write_text(sysconfig.get_path("purelib") + "\n")
    _keep_kernels(packages)
    return environment / "bin" / "etiquette"


def _keep_kernels(packages: Path) -> None:
    """What Numba has compiled for the sources counts for their copies, too: compiling it again would take longer than
    all that is tried. Its cache knows a file by its folder and its time."""
    cache = os.environ.get("NUMBA_CACHE_DIR")
    for kernel in KERNELS if cache else ():
        before, after = (root / "etiquette" / "core" / kernel for root in (ROOT / "src", packages))
        for file in after.glob("*.py"):
            shutil.copystat(before / file.name, file)
        old, new = (
            Path(str(cache)) / _CacheLocator.get_suitable_cache_subpath(str(at / "x.py")) for at in (before, after)
        )
        if old.exists():
            shutil.copytree(old, new, dirs_exist_ok=True)


def _run(*command: str) -> None:
    done = subprocess.run(command, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout + done.stderr
