"""Write docs/licences.md: what is shipped beside our own code, and under which licence.

    python scripts/licences.py

Python packages are those of requirements.txt, and those for several machines of requirements-several.txt, as they are
installed here; front packages those that the built pages hold (dependencies of package.json with all that they need,
from package-lock.json), fonts among them.
"""

import importlib.metadata
import json
import re
from pathlib import Path

ROOT = Path(__file__).parents[1]


def python_packages() -> list[tuple[str, str, str]]:
    found = []
    lists = [(ROOT / name).read_text().splitlines() for name in ("requirements.txt", "requirements-several.txt")]
    for line in (line for one in lists for line in one):
        name = re.match(r"[A-Za-z0-9_.-]+", line)
        if name:
            data = importlib.metadata.metadata(name[0])
            classified = [
                entry.split(" :: ")[-1] for entry in data.get_all("Classifier") or () if entry.startswith("License ::")
            ]
            said = data.get("License-Expression") or ", ".join(classified) or (data.get("License") or "").split("\n")[0]
            found.append((data["Name"], data["Version"], said or "see the package"))
    return sorted(found, key=lambda one: one[0].lower())


def front_packages() -> list[tuple[str, str, str]]:
    lock = json.loads((ROOT / "front" / "package-lock.json").read_text())["packages"]
    wanted, found = list(lock[""]["dependencies"]), dict[str, tuple[str, str, str]]()
    while wanted:
        name = wanted.pop()
        entry = lock.get(f"node_modules/{name}")
        if entry is None or name in found:
            continue
        found[name] = (name, entry["version"], entry.get("license", "see the package"))
        wanted += entry.get("dependencies", {})
    return sorted(found.values())


def table(rows: list[tuple[str, str, str]]) -> str:
    return "\n".join(
        ["| package | version | licence |", "|---|---|---|", *(f"| {a} | {b} | {c} |" for a, b, c in rows)]
    )


def main() -> None:
    text = f"""# Licences

Written by `scripts/licences.py`. Programs that Debian's packages bring along (MariaDB, Ghostscript, librsvg, poppler
and others) are installed
from there and not shipped; the fonts of fields (Noto, OFL-1.1) come the same way.

## In the pages
{table(front_packages())}

## Python packages
{table(python_packages())}
"""
    (ROOT / "docs" / "licences.md").write_text(text)


if __name__ == "__main__":
    main()
