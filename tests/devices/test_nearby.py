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

from etiquette.devices.nearby import Nearby, announced, nearby, ports
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

    wait_until(all_of_them, 300)
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
