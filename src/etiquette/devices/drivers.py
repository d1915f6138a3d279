"""From an address to the driver that speaks its protocol."""

from collections.abc import Callable
from pathlib import Path

from etiquette.core.errors import JobError
from etiquette.core.units import HPGL_UNIT_MM
from etiquette.devices.addresses import parsed
from etiquette.devices.contracts import Cutter, Eye, Printer


def printer_at(address: str, name: str, pin: str = "") -> Printer:
    """The driver of the printer called `name`. Raises JobError for an address that is none."""
    at = parsed(address, "printer")
    if at.scheme in ("ipp", "ipps"):
        from etiquette.devices.ipp_message import IppLine
        from etiquette.devices.ipp_printer import IppPrinter

        return IppPrinter(IppLine(name, at, pin))
    if at.scheme == "folder":
        from etiquette.devices.folder_printer import FolderPrinter

        return FolderPrinter(name, Path(at.path))
    from etiquette.devices.raw_printer import RawPrinter

    return RawPrinter(name, at)


def cutter_at(
    address: str,
    name: str,
    unit_mm: float = HPGL_UNIT_MM,
    confirm: str = "oa",
    before_moving: Callable[[], None] = lambda: None,
) -> Cutter:
    """The driver of the cutter called `name`; `before_moving` is called before whatever moves something, and may raise.
    Raises JobError for an address that is none, and for a folder, which is written to and not spoken with."""
    from etiquette.devices.byte_line import ByteLine
    from etiquette.devices.hpgl_cutter import HpglCutter

    at = parsed(address, "cutter")
    if at.scheme == "folder":
        raise JobError(f"{name} fetches its own files.", name, "Write its cut files at the Bench.")
    return HpglCutter(ByteLine(name, at), unit_mm, confirm, before_moving)  # type: ignore[arg-type]


def eye_at(address: str, name: str) -> Eye:
    """The eye at an address; `name`: of its machine, for what is said. Raises JobError."""
    from etiquette.devices.http_eye import HttpEye

    return HttpEye(name, parsed(address, "eye"))
