"""Addresses of machines: which schemes there are, and what each of them needs."""

from dataclasses import dataclass
from urllib.parse import parse_qs, unquote, urlsplit

from etiquette.core.errors import JobError
from etiquette.devices.contracts import MachineKind

SCHEMES: dict[MachineKind, tuple[str, ...]] = {
    "printer": ("ipp", "ipps", "folder", "socket"),
    "cutter": ("socket", "serial", "rfc2217", "usb", "folder"),
    "eye": ("http", "https"),
}
USUAL_PORT = {"ipp": 631, "ipps": 631, "http": 80, "https": 443}
LIKE: dict[MachineKind, str] = {
    "printer": "ipp://host/ipp/print, folder:/path or socket://host:9100",
    "cutter": "socket://host:port, serial:/dev/ttyUSB0?baud=9600, rfc2217://host:port, usb:/dev/usb/lp0 "
    "or folder:/path",
    "eye": "http://host:port",
}
BAUDS = (300, 600, 1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200)


@dataclass(frozen=True)
class Address:
    """`path` is a folder or a device file for folder, serial and usb; `options` is what follows the question mark."""

    text: str
    scheme: str
    host: str
    port: int
    path: str
    options: dict[str, str]


def parsed(text: str, kind: MachineKind) -> Address:
    """An address of a machine of `kind`. Raises JobError for a scheme or form that it is not reached by."""
    text = text.strip()
    try:
        parts = urlsplit(text)
        port = parts.port
    except ValueError:
        raise _unfit(text, kind) from None
    scheme = parts.scheme.lower()
    if scheme not in SCHEMES[kind]:
        raise _unfit(text, kind)
    options = {name: values[-1] for name, values in parse_qs(parts.query).items()}
    if scheme in ("folder", "serial", "usb"):
        path = unquote(parts.path)
        if parts.netloc or not path.startswith("/"):
            raise JobError(f"“{text}” does not name a place on this machine.", text, f"Write it like {LIKE[kind]}.")
        return Address(text, scheme, "", 0, path, _serial_options(options, text) if scheme == "serial" else options)
    port = port or USUAL_PORT.get(scheme)
    if not parts.hostname or port is None:
        raise JobError(f"“{text}” has no host or no port.", text, f"Write it like {LIKE[kind]}.")
    return Address(text, scheme, parts.hostname, port, parts.path or "/", options)


def _serial_options(options: dict[str, str], text: str) -> dict[str, str]:
    baud, flow = options.get("baud", "9600"), options.get("flow", "xonxoff")
    if not baud.isdigit() or int(baud) not in BAUDS:
        raise JobError(f"A serial line does not run at {baud} baud.", text, f"Choose from {BAUDS[0]} to {BAUDS[-1]}.")
    if flow not in ("xonxoff", "rtscts", "none"):
        raise JobError(f"“{flow}” is no flow control.", text, "Choose xonxoff, rtscts or none, as the machine is set.")
    return {**options, "baud": baud, "flow": flow}


def _unfit(text: str, kind: MachineKind) -> JobError:
    return JobError(f"“{text}” is no address of {_a(kind)}.", text or kind, f"Write it like {LIKE[kind]}.")


def _a(kind: MachineKind) -> str:
    return "an eye" if kind == "eye" else f"a {kind}"
