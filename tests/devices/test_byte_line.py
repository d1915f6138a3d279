"""A byte line that breaks and is opened again."""

import socket
import threading

import pytest

from etiquette.devices.addresses import parsed
from etiquette.devices.byte_line import ByteLine
from etiquette.devices.contracts import LineBroken


def test_half_an_answer_of_a_line_that_broke_is_no_beginning_on_the_next() -> None:
    with socket.create_server(("127.0.0.1", 0)) as listener:

        def answer() -> None:
            first, _ = listener.accept()
            with first:
                first.sendall(b"1200,34")  # and the line dies
            second, _ = listener.accept()
            with second:
                second.sendall(b"0\r1200,340,0\r")
                second.recv(1)  # held until the other side has read

        beside = threading.Thread(target=answer, daemon=True)
        beside.start()
        line = ByteLine("Cutter", parsed(f"socket://127.0.0.1:{listener.getsockname()[1]}", "cutter"))
        with line, pytest.raises(LineBroken):
            line.read_line(60)
        with line:
            assert [line.read_line(60), line.read_line(60)] == [b"0", b"1200,340,0"]
        beside.join(60)
