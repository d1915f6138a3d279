"""An eye over HTTP: `GET /look` gives a picture of where it stands, with X-Position-Mm and X-Mm-Per-Px in its head. A
camera that stands fast is asked for a place with ?x=…&y=…; a GET moves nothing."""

import http.client

from etiquette.core.aligning.windows import Window
from etiquette.core.errors import JobError
from etiquette.devices.addresses import Address
from etiquette.devices.contracts import Identity, Unclear
from etiquette.devices.deadlines import whole_deadline
from etiquette.devices.http_line import connected
from etiquette.sandbox.looks import Looking

CONNECT_SECONDS = 2.0
ANSWER_SECONDS = 60.0
MOST_BYTES = 64 << 20
"""A photo of a table takes a few million."""
MOST_PIXELS = 60_000_000


class HttpEye:
    """Driver (contracts.Eye)."""

    def __init__(self, name: str, address: Address) -> None:
        self.name, self._address = name, address
        self._looking = Looking()

    def identity(self) -> Identity:
        window = self.look()
        height, width = window.pixels.shape
        return Identity("eye", model=f"{width} × {height} pixels of {window.mm_per_px:.4g} mm", understands=("look",))

    def look(self, at: tuple[float, float] | None = None) -> Window:
        """Grey pixels, their middle and scale. Raises Unreachable, LineBroken, Unclear."""
        where = f"?x={at[0]:.4f}&y={at[1]:.4f}" if at else ""
        content, headers = self._got(f"{self._address.path.rstrip('/')}/look{where}")
        try:
            x, y = (float(one) for one in headers["x-position-mm"].split(","))
            mm_per_px = float(headers["x-mm-per-px"])
            pixels = self._looking.at(content, self.name, MOST_PIXELS, ("PNG", "JPEG")).grey
        except (KeyError, ValueError, JobError):
            raise self._unclear() from None
        assert pixels is not None
        if not (mm_per_px > 0 and abs(x) < 1e6 and abs(y) < 1e6):  # also when it is not a number
            raise self._unclear()
        return Window(pixels, x, y, mm_per_px)

    def _got(self, path: str) -> tuple[bytes, dict[str, str]]:
        kind = http.client.HTTPSConnection if self._address.scheme == "https" else http.client.HTTPConnection
        connection = kind(self._address.host, self._address.port, timeout=CONNECT_SECONDS)
        with connected(self.name, connection):
            connection.sock.settimeout(ANSWER_SECONDS)
            with whole_deadline(connection.sock, ANSWER_SECONDS):
                connection.request("GET", path)
                response = connection.getresponse()
                content = response.read(MOST_BYTES + 1)
        if response.status != 200 or len(content) > MOST_BYTES:
            raise self._unclear()
        return content, {name.lower(): value for name, value in response.getheaders()}

    def _unclear(self) -> Unclear:
        return Unclear(
            f"{self.name} answered something that is no picture of a place.",
            self.name,
            "Check that the right machine answers at its address.",
        )
