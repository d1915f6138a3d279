"""What is found round about: announced by another party on the loopback, and ports."""

import socket
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

import pytest
from zeroconf import EventLoopBlocked, ServiceInfo, Zeroconf

from etiquette.devices.nearby import Nearby, _printer, announced, nearby, ports
from tests.conftest import wait_until

LOOPBACK = ["127.0.0.1"]


@dataclass
class Port:
    device: str
    description: str


T = TypeVar("T")


def beside(work: Callable[[], T]) -> T:
    """`work()` in a thread of its own: zeroconf takes the event loop of the thread it is called in, and in this one a
    browser test may have left one that nobody runs."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(work).result()


@pytest.fixture
def crier() -> Iterator[Zeroconf]:
    line = beside(lambda: Zeroconf(interfaces=LOOPBACK))
    yield line
    beside(line.close)


def cry(line: Zeroconf, name: str, service: str, port: int, **keys: str) -> None:
    info = ServiceInfo(
        service, f"{name}.{service}", addresses=[socket.inet_aton("127.0.0.1")], port=port, properties=keys,
        server="quillmere-east.local.",
    )  # fmt: skip

    def cried() -> None:
        with suppress(EventLoopBlocked):  # on a machine that is busy with other tests: it is announced all the same
            line.register_service(info, cooperating_responders=True)

    beside(cried)


def heard(*addresses: str) -> list[Nearby]:
    """What is announced once all of `addresses` have been heard, however slow this machine is."""
    found: list[Nearby] = []

    def all_of_them() -> bool:
        found[:] = beside(lambda: announced(interfaces=LOOPBACK))
        return set(addresses) <= {one.address for one in found}

    wait_until(all_of_them)
    return found


def test_a_printer_that_announces_itself_in_several_ways_is_offered_once(crier: Zeroconf) -> None:
    """Keys rp and ty as PWG 5100.14, 4.2.3 names them; without rp the path is the usual one."""
    cry(crier, "East window", "_pdl-datastream._tcp.local.", 9100, ty="Wide east")
    cry(crier, "East window", "_ipp._tcp.local.", 8631, rp="ipp/print/east", ty="Wide east")
    cry(crier, "Attic", "_ipps._tcp.local.", 8443)
    cry(crier, "A web page", "_http._tcp.local.", 8080)
    east, attic = "ipp://127.0.0.1:8631/ipp/print/east", "ipps://127.0.0.1:8443/ipp/print"
    found = {one.name: (one.kind, one.address, one.words) for one in heard(east, attic)}
    assert found["East window"] == ("printer", east, "Wide east")
    assert found["Attic"] == ("printer", attic, "")
    assert "A web page" not in found


def test_what_a_stranger_calls_itself_is_one_line(crier: Zeroconf) -> None:
    cry(crier, "Loud", "_ipp._tcp.local.", 8631, ty="a\nb\x1b[31m" + "c" * 200)
    (loud,) = [one for one in heard("ipp://127.0.0.1:8631/ipp/print") if one.name == "Loud"]
    assert loud.words.startswith("a b [31mccc") and len(loud.words) <= 80 and loud.words.isprintable()


def test_ports_of_this_computer_are_addresses_that_are_taken(tmp_path: Path) -> None:
    (tmp_path / "lp0").touch()
    (tmp_path / "hiddev0").touch()
    found = ports(lambda: [Port("/dev/ttyUSB3", "USB serial bridge"), Port("/dev/ttyS0", "n/a")], tmp_path)
    assert [(one.address, one.words) for one in found] == [
        ("serial:/dev/ttyUSB3", "USB serial bridge"), ("serial:/dev/ttyS0", ""), (f"usb:{tmp_path}/lp0", ""),
    ]  # fmt: skip


def test_with_nothing_round_about_nothing_is_found() -> None:
    assert [one for one in beside(lambda: nearby(0.0, LOOPBACK)) if one.kind == "printer"] == []


class Told:
    """A line on which one printer has told about itself."""

    def __init__(self, info: ServiceInfo | None) -> None:
        self._info = info

    def get_service_info(self, service: str, name: str, timeout: int) -> ServiceInfo | None:
        return self._info


def told(
    service: str = "_ipp._tcp.local.", addresses: tuple[str, ...] = ("10.0.0.7",), port: int = 631, **keys: str
) -> str | None:
    """The address that is offered for a printer that tells this of itself; None: none is."""
    packed = [socket.inet_pton(socket.AF_INET6 if ":" in one else socket.AF_INET, one) for one in addresses]
    name = f"East.{service}"
    info = ServiceInfo(service, name, addresses=packed, port=port, properties=keys, server="east.local.")
    found = _printer(Told(info), service, name)  # type: ignore[arg-type]
    return found.address if found else None


def test_an_address_is_made_of_what_a_printer_tells() -> None:
    """PWG 5100.14, 4.2.3.2: rp is the path without its first slash; some write it all the same."""
    assert told(rp="ipp/print") == told(rp="/ipp/print") == "ipp://10.0.0.7:631/ipp/print"
    assert told("_ipps._tcp.local.", port=443, rp="printers/wide") == "ipps://10.0.0.7:443/printers/wide"
    assert told("_pdl-datastream._tcp.local.", port=9100, rp="ignored") == "socket://10.0.0.7:9100"
    assert told(addresses=("fe80::1", "10.0.0.9")) == "ipp://10.0.0.9:631/ipp/print"
    assert told(addresses=("fe80::1",)) == "ipp://east.local:631/ipp/print"  # by name, where it has no other


def test_what_tells_of_no_port_is_not_offered() -> None:
    assert told(port=0) is None
    assert _printer(Told(None), "_ipp._tcp.local.", "gone") is None  # type: ignore[arg-type]


def test_a_machine_that_is_too_busy_to_listen_offers_less_and_does_not_fail() -> None:
    class Busy:
        def get_service_info(self, service: str, name: str, timeout: int) -> None:
            raise EventLoopBlocked

    assert _printer(Busy(), "_ipp._tcp.local.", "East._ipp._tcp.local.") is None  # type: ignore[arg-type]
