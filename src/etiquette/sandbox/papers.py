"""Papers laid out as PDF, behind the door: WeasyPrint changes how pictures are read in all of its process (a damaged
one is taken for a whole one), so it is loaded only in a child that ends with its paper."""

import tempfile
from pathlib import Path
from typing import Any

from etiquette.sandbox.door import Limits, ask

SECONDS, BYTES = 60.0, 2 << 30
SECONDS_EACH = 0.2
"""More for each part of a long paper that has pictures."""


def pdf_of(page: str, name: str, parts: int = 0) -> bytes:
    """An HTML page of so many parts, its pictures in it, as PDF; nothing else is fetched. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-paper-") as folder:
        (Path(folder) / "page.html").write_text(page, "utf-8")
        ask("paper", Path(folder), {"name": name}, Limits(SECONDS + SECONDS_EACH * parts, BYTES), name)
        return (Path(folder) / "paper.pdf").read_bytes()


# --- the child


def lay_out(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher

    page = (folder / "page.html").read_text("utf-8")
    HTML(string=page, url_fetcher=URLFetcher(allowed_protocols={"data"})).write_pdf(folder / "paper.pdf")
    return {}
