"""Puts the built front end into the wheel; all else is in pyproject.toml."""

import shutil
from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py

HERE = Path(__file__).parent


class WithFront(build_py):
    def run(self) -> None:
        super().run()
        if self.editable_mode:  # the sources themselves are used, and the front end is built beside them
            return
        built = HERE / "front" / "dist"
        if not (built / "index.html").exists():
            raise SystemExit("The front end is not built yet. Run ./start --setup first.")
        target = Path(self.build_lib) / "etiquette" / "front"
        shutil.rmtree(target, ignore_errors=True)
        shutil.copytree(built, target)


setup(cmdclass={"build_py": WithFront})
