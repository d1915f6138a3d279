"""One exchange of IPP over HTTP (RFC 8010): a request out, documents streamed behind it, one answer back.

The encoding is pyipp's; the transport is ours, because a print of gigabytes has to be streamed under deadlines, and the
certificate of a printer has to be remembered."""

import hashlib
import http.client
import ssl
import struct
from collections.abc import Iterator, Mapping
from typing import Any

from pyipp.enums import ATTRIBUTE_ENUM_MAP, IppOperation
from pyipp.exceptions import IPPError
from pyipp.parser import parse
from pyipp.serializer import encode_dict

from etiquette.core.errors import JobError
from etiquette.devices.addresses import Address
from etiquette.devices.contracts import Unclear
from etiquette.devices.deadlines import whole_deadline
from etiquette.devices.http_line import connected

CONNECT_SECONDS = 3.0
ANSWER_SECONDS = 20.0
"""From the end of the request to the last byte of the answer."""
STALL_SECONDS = 60.0
"""An upload may take as long as it goes on; a printer that takes nothing for so long has gone."""
MOST_ANSWER_BYTES = 1 << 20
PIECE_BYTES = 1 << 16
SUCCESSFUL = 0x00FF
NOT_FOUND, NOT_POSSIBLE, BUSY, GONE = 0x0406, 0x0404, 0x0507, 0x0407
REFUSALS = {
    0x0400: "it calls the request malformed",
    0x0401: "it forbids that",
    0x0402: "it wants a password",
    0x0403: "it does not allow that",
    NOT_POSSIBLE: "that is not possible now",
    NOT_FOUND: "it knows nothing of that",
    0x0408: "the file is too large for it",
    0x040A: "it does not take this kind of file",
    0x040B: "it cannot do what the job asks for",
    0x0501: "it cannot do that",
    0x0502: "it is not ready",
    0x0503: "it speaks another version",
    0x0506: "it takes no jobs now",
    BUSY: "it is busy",
    0x0509: "it takes one file a job",
}

ATTRIBUTE_ENUM_MAP.clear()  # or pyipp refuses a whole answer for one number it has no name for: numbers stay numbers


class Refused(JobError):
    """The printer answered, and the answer is no. `code` is the status code of RFC 8011."""

    def __init__(self, name: str, code: int) -> None:
        words = REFUSALS.get(code, f"it refuses (status {code:#06x})")
        super().__init__(f"{name}: {words}.", name, "Look at the printer, put that right and try again.")
        self.code = code


class IppLine:
    """Exchanges with the printer called `name` at `address`. `pin`: the SHA-256 of the certificate it showed first;
    another one is refused."""

    def __init__(self, name: str, address: Address, pin: str = "") -> None:
        self.name, self._address, self.pin = name, address, pin

    @property
    def uri(self) -> str:
        return self._address.text.split("?")[0]

    def ask(
        self,
        operation: IppOperation,
        attributes: Mapping[str, Any],
        job: Mapping[str, Any] | None = None,
        document: bytes = b"",
    ) -> dict[str, Any]:
        """The answer, as pyipp reads it. Raises Refused, Unreachable, LineBroken, Unclear."""
        message: dict[str, Any] = {
            "version": (1, 1) if self._address.options.get("ipp") == "1.1" else (2, 0),
            "operation": operation,
            "operation-attributes-tag": {
                "attributes-charset": "utf-8",
                "attributes-natural-language": "en",
                "printer-uri": self.uri,
                "requesting-user-name": "etiquette",
                **attributes,
            },
        }  # fmt: skip
        if job:
            message["job-attributes-tag"] = dict(job)
        answer = self._read(self._posted(encode_dict(message), document))
        if answer["status-code"] > SUCCESSFUL:
            raise Refused(self.name, int(answer["status-code"]))
        return answer

    def _read(self, content: bytes) -> dict[str, Any]:
        try:
            return dict(parse(content))
        except (struct.error, ValueError, KeyError, IndexError, TypeError, RecursionError, IPPError):
            raise Unclear(
                f"{self.name} answered something that is no IPP.", self.name, "Check that a printer is at its address."
            ) from None

    def _posted(self, head: bytes, document: bytes) -> bytes:
        def body() -> Iterator[bytes]:
            yield head
            for first in range(0, len(document), PIECE_BYTES):
                yield document[first : first + PIECE_BYTES]

        headers = {"Content-Type": "application/ipp", "Content-Length": str(len(head) + len(document))}
        with connected(self.name, self._connection()) as connection:
            self._check_certificate(connection)
            connection.sock.settimeout(STALL_SECONDS)
            connection.request("POST", self._address.path, body(), headers)
            with whole_deadline(connection.sock, ANSWER_SECONDS):
                response = connection.getresponse()
                content = response.read(MOST_ANSWER_BYTES + 1)
        if response.status != 200 or len(content) > MOST_ANSWER_BYTES:
            raise Unclear(
                f"What answers at {self.uri} is no printer (HTTP {response.status}).",
                self.name,
                "Check the address of the printer.",
            )
        return content

    def _connection(self) -> http.client.HTTPConnection:
        host, port = self._address.host, self._address.port
        if self._address.scheme == "ipp":
            return http.client.HTTPConnection(host, port, timeout=CONNECT_SECONDS)
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        context.check_hostname, context.verify_mode = False, ssl.CERT_NONE  # printers sign for themselves: pinned
        return http.client.HTTPSConnection(host, port, timeout=CONNECT_SECONDS, context=context)

    def _check_certificate(self, connection: http.client.HTTPConnection) -> None:
        if not isinstance(connection.sock, ssl.SSLSocket):
            return
        shown = hashlib.sha256(connection.sock.getpeercert(binary_form=True) or b"").hexdigest()
        if self.pin and self.pin != shown:
            raise JobError(
                f"{self.name} shows another certificate than before.",
                self.name,
                "If it was replaced or reset, ask on the Shelf again which one it is; else find out who answers.",
            )
        self.pin = shown
