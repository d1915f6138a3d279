"""What can be reached from here: printers that announce themselves on the network (DNS-SD of RFC 6763 over multicast
DNS, with the keys of PWG 5100.14, 4.2), and the ports of this computer. Nothing is asked of any machine."""

import socket
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from serial.tools.list_ports import comports
from zeroconf import EventLoopBlocked, ServiceBrowser, ServiceListener, Zeroconf

from etiquette.core.errors import JobError
from etiquette.devices.addresses import parsed
from etiquette.devices.contracts import MachineKind

SERVICES = {"_ipps._tcp.local.": "ipps", "_ipp._tcp.local.": "ipp", "_pdl-datastream._tcp.local.": "socket"}
"""What printers announce, the way that says most first: a printer that announces several is offered once."""
LISTEN_SECONDS = 2.5
"""Questions go out at once and again after a second; an answer takes a tenth of one (RFC 6762, 5.2 and 6)."""
TELL_MILLISECONDS = 1000
MOST_SHOWN = 60
LONGEST_NAME = 80
USB_PORTS = Path("/dev/usb")


@dataclass(frozen=True)
class Nearby:
    """Something that may be a machine of `kind`, as a person calls it, and the address by which it is tried."""

    kind: MachineKind
    name: str
    address: str
    words: str


def nearby(seconds: float = LISTEN_SECONDS, interfaces: Sequence[str] | None = None) -> list[Nearby]:
    """Machines that announce themselves within `seconds`, then ports. `interfaces`: addresses to listen on, None for
    all."""
    return [*announced(seconds, interfaces), *ports()]


def announced(seconds: float = LISTEN_SECONDS, interfaces: Sequence[str] | None = None) -> list[Nearby]:
    """Printers that announce themselves; none where nothing can be listened on."""
    try:
        line = Zeroconf(interfaces=list(interfaces)) if interfaces else Zeroconf()
    except OSError:
        return []  # no network: whoever has none types an address
    heard = _Heard()
    try:
        ServiceBrowser(line, list(SERVICES), heard)
        time.sleep(seconds)
        found = [one for kind, name in heard.names[:MOST_SHOWN] if (one := _printer(line, kind, name))]
    finally:
        line.close()
    order = list(SERVICES.values())
    found.sort(key=lambda one: (one.name.lower(), order.index(one.address.split(":")[0])))
    first = {one.name: one for one in reversed(found)}
    return [first[name] for name in sorted(first, key=str.lower)]


class _Heard(ServiceListener):
    """The services that were announced, each once."""

    def __init__(self) -> None:
        self.names: list[tuple[str, str]] = []

    def add_service(self, zc: Zeroconf, type_: str, name: str) -> None:
        if (type_, name) not in self.names:
            self.names.append((type_, name))

    def update_service(self, zc: Zeroconf, type_: str, name: str) -> None:
        """What it says is asked for at the end."""

    def remove_service(self, zc: Zeroconf, type_: str, name: str) -> None:
        self.names = [one for one in self.names if one != (type_, name)]


def _printer(line: Zeroconf, service: str, name: str) -> Nearby | None:
    try:
        told = line.get_service_info(service, name, timeout=TELL_MILLISECONDS)
    except EventLoopBlocked:
        return None  # this machine is too busy to listen: it is heard when it is looked again
    if told is None or not told.port:
        return None
    keys = {
        key.decode("utf-8", "replace"): (value or b"").decode("utf-8", "replace")
        for key, value in told.properties.items()
    }
    scheme = SERVICES[service]
    hosts = [socket.inet_ntoa(one) for one in told.addresses if len(one) == 4] or [(told.server or "").rstrip(".")]
    path = "" if scheme == "socket" else "/" + keys.get("rp", "ipp/print").lstrip("/")
    shown = _one_line(name.removesuffix("." + service))
    address = f"{scheme}://{hosts[0]}:{told.port}{path}"
    try:
        parsed(address, "printer")
    except JobError:
        return None  # it announces something that is no address
    return Nearby("printer", shown, address, _one_line(keys.get("ty", "")))


def _one_line(text: str) -> str:
    """What a stranger calls itself, fit to be shown."""
    return " ".join("".join(one if one.isprintable() else " " for one in text).split())[:LONGEST_NAME]


def ports(listed: Callable[[], Sequence[object]] = comports, usb: Path = USB_PORTS) -> list[Nearby]:
    """Serial ports and device files of machines on USB; a port says nothing of what hangs on it."""
    found = []
    for one in listed():
        device = str(getattr(one, "device", ""))
        words = _one_line(str(getattr(one, "description", "") or ""))
        found.append(Nearby("cutter", device, f"serial:{device}", "" if words == "n/a" else words))
    found += [Nearby("cutter", str(path), f"usb:{path}", "") for path in sorted(usb.glob("lp*"))]
    return [replace(one, name=_one_line(one.name)) for one in found]
