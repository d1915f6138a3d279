"""`ask`, `print` and `plot`: one JSON object on stdout, and 1 for what cannot be done."""

import json
import os
from pathlib import Path

import pytest
from typer.testing import CliRunner

from etiquette.cli import app
from etiquette.core.errors import JobError
from tests.strangers import SlowPlotter, eve_printer


def run(*arguments: str) -> tuple[int, dict[str, object], str]:
    result = CliRunner().invoke(app, arguments)
    if result.exception and isinstance(result.exception, JobError):
        raise result.exception
    return result.exit_code, json.loads(result.stdout), result.stderr


def test_a_printer_is_asked_and_a_pdf_is_printed_and_followed(tmp_path: Path) -> None:
    (tmp_path / "a.pdf").write_bytes(b"%PDF-1.4\n%%EOF")
    with eve_printer(tmp_path) as printer:
        code, told, _ = run("ask", printer.uri, "--kind", "printer")
        assert code == 0 and told["kind"] == "printer" and told["state"] == "ready"
        assert {one["width_mm"] for one in told["loaded"]} == {215.9, 104.77}  # type: ignore[attr-defined]
        for number in (1, 2, 3, 4):
            printer.step(number)
        code, told, followed = run("print", str(tmp_path / "a.pdf"), printer.uri, "--title", "Kite badge")
        assert code == 0 and told["state"] == "done" and str(told["job"]).startswith("urn:uuid:")
        assert json.loads(followed.splitlines()[-1])["state"] == "done"
        assert printer.printed == 1


def test_a_cutter_is_asked_and_told_a_file(tmp_path: Path) -> None:
    (tmp_path / "a.plt").write_text("IN;PA;PU400,400;PD800,400,800,800;PU;")
    with SlowPlotter() as plotter:
        code, told, _ = run("plot", str(tmp_path / "a.plt"), f"serial:{plotter.path}?flow=none")
    assert code == 0 and told["certain"] is True and told["at"] == {"x": 20.0, "y": 20.0}
    assert plotter.received.startswith(b"IN;PA;PU400,400;PD800,400,800,800;")


def test_what_is_no_file_or_no_address_is_said(tmp_path: Path) -> None:
    (tmp_path / "a.plt").write_text("hello")
    with pytest.raises(JobError, match="no PDF"):
        run("print", str(tmp_path / "a.plt"), "folder:/tmp")
    with pytest.raises(JobError, match="no HP-GL"):
        run("plot", str(tmp_path / "a.plt"), "usb:/dev/usb/lp0")
    with pytest.raises(JobError, match="no address of an eye"):
        run("ask", f"serial:{os.devnull}", "--kind", "eye")
