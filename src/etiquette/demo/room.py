"""The client of the simulated room: what hands do there, and what only a simulation knows. One JSON object a line."""

import base64
import json
import socket
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from etiquette.core.errors import JobError
from etiquette.devices.deadlines import whole_deadline

CONNECT_SECONDS = 2.0
ANSWER_SECONDS = 120.0
MOST_ANSWER_BYTES = 64 << 20


@dataclass(frozen=True)
class Simulated:
    """A machine of the room. `port`: for hands; `address`, `eye`, `table_eye`: how it is reached as a machine."""

    kind: str
    name: str
    port: int
    address: str = ""
    eye: str = ""
    table_eye: str = ""


class Room:
    """The simulated machines by kind. A machine that is not there refuses with a sentence."""

    def __init__(self, machines: dict[str, Simulated]) -> None:
        self.machines = machines

    @classmethod
    def noted_in(cls, data: Path) -> "Room":
        """The room that the start-up noted; without machines when it started none."""
        file = data / "room.json"
        listed = json.loads(file.read_text()) if file.exists() else []
        return cls({one["kind"]: Simulated(**one) for one in listed})

    def ask(self, machine_kind: str, wanted: str, /, **more: Any) -> dict[str, Any]:
        """Raises JobError."""
        machine = self.machines.get(machine_kind)
        name = machine.name if machine else f"The simulated {machine_kind}"
        gone = JobError(f"{name} is not there.", name, "Start Etiquette with its demo: it brings the machines along.")
        if machine is None:
            raise gone
        try:
            link = socket.create_connection(("127.0.0.1", machine.port), CONNECT_SECONDS)
        except OSError:
            raise gone from None
        with link, link.makefile("rb") as answers:
            try:
                link.settimeout(ANSWER_SECONDS)
                with whole_deadline(link, ANSWER_SECONDS):
                    link.sendall(json.dumps({"ask": wanted, **more}).encode() + b"\n")
                    answer = json.loads(answers.readline(MOST_ANSWER_BYTES))
            except (OSError, ValueError):
                raise gone from None
        if "error" in answer:
            raise JobError(f"{name}: {answer['error']}", name, "Put that right and try again.")
        return dict(answer)


def picture_of(answer: dict[str, Any]) -> NDArray[np.uint8]:
    return np.asarray(Image.open(BytesIO(base64.b64decode(answer["png"]))), dtype=np.uint8)
