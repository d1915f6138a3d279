"""Somebody at the desk of a shop that is killed now and then: takes designs in, names them, has their lines found, and
remembers what was confirmed."""

import threading
from dataclasses import dataclass
from io import BytesIO

import httpx
from PIL import Image, ImageDraw

from benchmarks.several_machines import Shop

PAUSE_SECONDS = 0.4
PATIENCE_SECONDS = 300.0


@dataclass
class Confirmed:
    """What Etiquette has said that it has."""

    name: str = ""
    asked: str = ""
    """The name that was asked for last, perhaps without an answer; "" is any."""
    lines: bool = False
    """Its line was found."""


def disc(number: int) -> bytes:
    """A picture unlike any other: what is kept once for several would hide a lost one."""
    picture = Image.new("RGBA", (120, 120), (0, 0, 0, 0))
    drawing = ImageDraw.Draw(picture)
    drawing.ellipse((10, 10, 110, 110), fill=(number % 251, number // 251 % 251, 90, 255))
    out = BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


class DeskWork:
    """Works in a thread of its own until it is told to stop."""

    def __init__(self, client: httpx.Client) -> None:
        self._client = httpx.Client(
            base_url=client.base_url, headers=dict(client.headers), cookies=dict(client.cookies), timeout=10
        )
        self._shop, self._over = Shop(self._client), threading.Event()
        self.designs: dict[int, Confirmed] = {}
        self.refused = 0
        """How often there was no answer, or one that the server is away."""
        self._thread = threading.Thread(target=self._work, daemon=True)

    def __enter__(self) -> "DeskWork":
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self._thread.join()

    def _work(self) -> None:
        number = 0
        while not self._over.wait(PAUSE_SECONDS):
            number += 1
            try:
                self._one(number)
            except (httpx.HTTPError, RuntimeError):
                self.refused += 1

    def _one(self, number: int) -> None:
        files = {"file": (f"desk-{number}.png", disc(number))}
        design = int(self._shop.ask("POST", "/designs", files=files)["ids"][0])
        kept = self.designs[design] = Confirmed()
        shown = self._shop.ask("GET", f"/designs/{design}")
        for words in ("first", "second"):
            kept.asked = f"Desk {number}, {words}"
            asked = {"revision": shown["revision"], "words": "name", "changes": {"name": kept.asked}}
            shown = self._shop.ask("POST", f"/designs/{design}/edits", json=asked)
            kept.name = kept.asked
        if number % 4 == 0:
            self._shop.done("PUT", f"/designs/{design}/lines")
            kept.lines = True

    def lost(self) -> list[str]:
        """What was confirmed and is not there: a sentence each."""
        gone = []
        self._client.timeout = PATIENCE_SECONDS  # nobody is killed any more
        for design, kept in self.designs.items():
            try:
                shown = self._shop.ask("GET", f"/designs/{design}")
            except RuntimeError as error:
                gone.append(f"design {design} was taken in: {error}")
                continue
            name = shown["document"]["name"]
            if kept.name and name not in (kept.name, kept.asked):
                gone.append(f"design {design} was named {kept.name}, and is {name}")
            if kept.lines and not shown["lines"]:
                gone.append(f"the line of design {design} was found")
            picture = self._client.get(f"/api/designs/{design}/picture").content
            if picture[-8:-4] != b"IEND":
                gone.append(f"the picture of design {design} is not whole")
        return gone
